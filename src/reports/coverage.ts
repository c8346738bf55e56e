import type { Coverage, OperationCoverage, Parts } from '../core/definition/coverage.ts';
import { percentText } from '../core/record/number-texts.ts';
import { counted, grouped, inWords } from '../core/text/words.ts';
import { type Measure, type Paint, visible, wrap } from './style.ts';

/** The definition, and how much of it was exercised. */
export interface NamedCoverage extends Coverage {
  readonly file: string;
}

/** `78 of 96 described responses of 41 operations were seen, 81 %` */
export function coverageInWords({ pairs, seen, operations }: Coverage): string {
  const share = pairs === 0 ? '' : `, ${percentText(seen / pairs)}`;
  return `${grouped(seen)} of ${counted(pairs, 'described response')} of ${counted(operations.length, 'operation')} ${seen === 1 ? 'was' : 'were'} seen${share}`;
}

/** What was never exercised first, what was in part, then what was wholly: by the names of these groups. */
export function groupsOf({
  operations,
}: Coverage): [name: string, operations: readonly OperationCoverage[]][] {
  const missing = (each: OperationCoverage) => each.statuses.some(({ passed }) => passed === 0);
  const groups: [string, readonly OperationCoverage[]][] = [
    ['Never sent', operations.filter(({ sent }) => sent === 0)],
    ['Seen in part', operations.filter(each => each.sent > 0 && missing(each))],
    ['All that is described was seen', operations.filter(each => each.sent > 0 && !missing(each))],
  ];
  return groups.filter(([, each]) => each.length > 0);
}

/** `201, 409; not 401, 404` */
export function statusesInWords({ statuses }: OperationCoverage): string {
  const passed = statuses.filter(each => each.passed > 0).map(({ status }) => status);
  const failed = statuses.filter(each => each.passed === 0 && each.seen > 0).map(({ status }) => status);
  const missing = statuses.filter(({ seen }) => seen === 0).map(({ status }) => status);
  const parts = [
    ...(passed.length > 0 ? [passed.join(', ')] : []),
    ...(failed.length > 0 ? [`${failed.join(', ')} only in cases that did not pass`] : []),
    ...(missing.length > 0 ? [`not ${missing.join(', ')}`] : []),
  ];
  return parts.join('; ');
}

/** So many names are told that are missing. */
const mostNamed = 8;

/** `3 of 5 members; not note, paid`; nothing where there are none. */
export function partsInWords({ done, missing }: Parts, one: string): string | undefined {
  const all = done.length + missing.length;
  if (all === 0) return undefined;
  const counts = `${grouped(done.length)} of ${counted(all, one)}`;
  if (missing.length === 0) return counts;
  const more = missing.length - mostNamed;
  const named = more > 0 ? [...missing.slice(0, mostNamed), `${more} more`] : missing;
  return `${counts}; not ${inWords(named)}`;
}

/** What is told of an operation, line by line: the name of each thing, and its value. */
export function linesOf(each: OperationCoverage): [name: string, value: string][] {
  const lines: [string, string | undefined][] = [
    ['statuses', statusesInWords(each)],
    ['parameters', partsInWords(each.parameters, 'parameter')],
    ['body', partsInWords(each.body, 'member')],
    ['looked at', partsInWords(each.response, 'member')],
  ];
  return lines.filter((line): line is [string, string] => line[1] !== undefined && line[1] !== '');
}

interface View {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** As text, what was never exercised first. */
export function coverageText(coverage: NamedCoverage, { paint, measure, width }: View): string[] {
  const lines: string[] = [paint('quiet', `${coverage.title}, ${coverage.file}`), ''];
  for (const [name, operations] of groupsOf(coverage)) {
    lines.push(paint('strong', name));
    for (const each of operations) {
      const summary = each.summary === undefined ? '' : `  ${paint('quiet', visible(each.summary))}`;
      const title = visible(each.operation);
      const fits = measure(title) + 4 + measure(each.summary ?? '') <= width;
      lines.push(`  ${each.sent === 0 ? paint('failed', title) : title}${fits ? summary : ''}`);
      if (each.sent > 0) lines.push(...detailLines(each, { paint, measure, width }));
    }
    lines.push('');
  }
  const verdict = `${coverageInWords(coverage)}.`;
  return [...lines, ...wrap(verdict, width, measure).map(line => paint('strong', line))];
}

function detailLines(each: OperationCoverage, { paint, measure, width }: View): string[] {
  return linesOf(each).flatMap(([name, value]) => {
    const [first = '', ...more] = wrap(visible(value), Math.max(30, width - 18), measure);
    return [`      ${paint('quiet', name.padEnd(12))}${first}`, ...more.map(line => ' '.repeat(18) + line)];
  });
}

/** As Markdown, for the page of a CI job or a review. */
export function coverageMarkdown(coverage: NamedCoverage): string[] {
  const cell = (text: string) =>
    visible(text)
      .replaceAll('\n', ' ')
      .replace(/[\\|<>*_`[\]]/g, '\\$&');
  const rows = groupsOf(coverage).flatMap(([name, operations]) =>
    operations.map(each => {
      const [statuses, ...others] = linesOf(each);
      const seen = each.sent === 0 ? name.toLowerCase() : (statuses?.[1] ?? '');
      const more = others.map(([what, value]) => `${what}: ${value}`).join('; ');
      return `| ${cell(each.operation)} | ${grouped(each.sent)} | ${cell(seen)} | ${each.sent === 0 ? '' : cell(more)} |`;
    }),
  );
  return [
    `## ${cell(coverage.title)}`,
    '',
    `**${coverageInWords(coverage)}** (\`${coverage.file}\`)`,
    '',
    '| operation | sent | responses | |',
    '|---|---|---|---|',
    ...rows,
  ];
}
