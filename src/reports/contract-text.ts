import type { Beside, Broken } from '../core/contract/broken.ts';
import type { OperationReliance } from '../core/contract/reliance-table.ts';
import type { Coverage } from '../core/definition/coverage.ts';
import { counted, grouped, inWords } from '../core/text/words.ts';
import { type Measure, type Paint, visible, wrap } from './style.ts';

interface View {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** Who relies on what, by operation. With one consumer alone it need not be said which. */
export function relianceText(operations: readonly OperationReliance[], view: View): string[] {
  const { paint, measure, width } = view;
  const all = new Set(operations.flatMap(({ consumers }) => consumers));
  return operations.flatMap(({ operation, consumers, rows }) => {
    const statuses = [...new Set(rows.flatMap(({ status }) => status ?? []))];
    const sent = rows.filter(({ status }) => status === undefined);
    const lines = [
      paint('strong', visible(operation)) + (all.size > 1 ? paint('quiet', `  ${consumers.join(', ')}`) : ''),
    ];
    const list = (word: string, parts: readonly string[]) => {
      const [first = '', ...rest] = wrap(parts.join(', '), Math.max(20, width - 14), measure);
      lines.push(
        `  ${paint('quiet', word.padEnd(10))}  ${first}`,
        ...rest.map(line => ' '.repeat(14) + line),
      );
    };
    if (sent.length > 0)
      list(
        'sent',
        sent.map(row => told(row.what.replace(/^sent /, ''), [], row.consumers, all)),
      );
    for (const status of statuses) {
      const reads = rows.filter(row => row.status === status && row.what !== 'status');
      list(
        status,
        reads.length === 0
          ? ['nothing of it is looked at']
          : reads.map(row => told(row.what, row.kinds, row.consumers, all)),
      );
    }
    return [...lines, ''];
  });
}

/** `$.berths[*].deposit (number or null)`; of several consumers, who it is. */
function told(
  what: string,
  kinds: readonly string[],
  consumers: readonly string[],
  all: ReadonlySet<string>,
): string {
  const kind = kinds.length === 0 ? '' : ` (${inWords(kinds, 'or')})`;
  return `${visible(what)}${kind}${all.size > 1 && consumers.length < all.size ? ` by ${inWords(consumers)}` : ''}`;
}

/** What pages rely on and is not so, with the places in the pages; then a sentence. */
export function besideText(
  { broken, looked, notes }: Beside,
  other: string,
  strict: boolean,
  view: View,
): string[] {
  const { paint, measure, width } = view;
  const failures = broken.filter(each => each.isFailure || strict);
  const told = broken.filter(each => !failures.includes(each));
  const lines = [
    ...alike(failures).flatMap(each => brokenLines(each, true, view)),
    ...alike(told).flatMap(each => brokenLines(each, false, view)),
  ];
  const verdict = besideInWords(failures.length, told.length, looked, other);
  return [
    ...lines,
    ...(lines.length > 0 ? [''] : []),
    ...notes.flatMap(note => wrap(note, width, measure).map(line => paint('quiet', line))),
    ...wrap(verdict, width, measure).map(line => paint('strong', line)),
  ];
}

function besideInWords(failures: number, told: number, looked: number, other: string): string {
  const also =
    told === 0
      ? ''
      : ` ${grouped(told)} more ${told === 1 ? 'is' : 'are'} told, and ${told === 1 ? 'breaks' : 'break'} nothing yet.`;
  if (failures === 0)
    return `Nothing in ${other} breaks what these pages rely on; ${counted(looked, 'part')} were looked at.${also}`;
  return `${grouped(failures)} of ${counted(looked, 'part')} that these pages rely on ${failures === 1 ? 'is' : 'are'} not so in ${other}.${also}`;
}

/** What is wrong in the same way, and is relied on in several places. */
function alike(broken: readonly Broken[]): Broken[][] {
  const groups = new Map<string, Broken[]>();
  for (const each of broken) {
    const key = [each.operation, each.status, each.part, each.message].join('\n');
    const same = groups.get(key);
    if (same) same.push(each);
    else groups.set(key, [each]);
  }
  return [...groups.values()];
}

function brokenLines(all: readonly Broken[], isFailure: boolean, { paint, measure, width }: View): string[] {
  const [{ operation, status, part, message }] = all as [Broken];
  const what = [operation, status, part].filter(each => each !== undefined).join('  ');
  const word = isFailure ? paint('failed', 'broken') : paint('quiet', 'told  ');
  const below = (text: string) => wrap(text, Math.max(20, width - 8), measure).map(line => `        ${line}`);
  return [
    `${word}  ${visible(what)}`,
    ...below(message),
    ...all.flatMap(({ place: { file, line }, case: address }) =>
      below(`${file}:${line}, ${address}`).map(each => paint('quiet', each)),
    ),
  ];
}

/** What a definition has and no consumer relies on. */
export function unusedText(
  { operations }: Coverage,
  file: string,
  { paint, measure, width }: View,
): string[] {
  const lines: string[] = [];
  let unused = 0;
  for (const { operation, sent, statuses, parameters, response } of operations) {
    const missing = [
      ...statuses.filter(({ passed }) => passed === 0).map(({ status }) => `status ${status}`),
      ...parameters.missing,
      ...response.missing,
    ];
    if (sent > 0 && missing.length === 0) continue;
    unused++;
    lines.push(`${visible(operation)}${sent === 0 ? paint('quiet', '  nobody') : ''}`);
    if (sent > 0)
      lines.push(
        ...wrap(missing.join(', '), Math.max(20, width - 2), measure).map(line => `  ${visible(line)}`),
      );
  }
  const verdict =
    unused === 0
      ? `Everything that ${file} describes is relied on.`
      : `Of ${counted(operations.length, 'operation')} of ${file}, ${grouped(unused)} ${unused === 1 ? 'has' : 'have'} something that nobody relies on.`;
  return [...lines, '', paint('strong', verdict)];
}
