import { type Finding, sortFindings } from '../core/model/finding.ts';
import { shownOf } from '../core/secrecy/shown-finding.ts';
import { counted } from '../core/text/words.ts';
import { type Measure, type Paint, visible, wrap } from './style.ts';

interface FindingsView {
  readonly paint: Paint;
  /** In columns. */
  readonly width: number;
  readonly measure: Measure;
}

/** Findings as text: place, message, the line with the place marked, what mends it. */
export function findingsText(findings: readonly Finding[], { paint, width, measure }: FindingsView): string {
  const view = { paint, width: Math.min(200, Math.max(60, width)), measure };
  return sortFindings(findings)
    .map(each => findingText(each, view))
    .join('\n');
}

function findingText(found: Finding, { paint, width, measure }: FindingsView): string {
  const { source, range, severity, code } = found;
  const { message, remedy, line: shown } = shownOf(found);
  const { line, column } = source.position(range.start);
  const place = `${source.file}:${line}:${column}`;
  const role = severity === 'error' ? 'failed' : 'strong';
  const head = `${paint('strong', place)}  ${paint(role, severity)} ${paint('quiet', code)}`;
  const excerpt =
    shown === undefined
      ? []
      : excerptOf(shown, { column, length: range.end - range.start }, width - 4, measure);
  const said = wrap(visible([message, remedy].filter(Boolean).join(' ')), width - 2, measure).map(
    text => `  ${text}`,
  );
  return [
    head,
    ...said,
    ...excerpt.map((text, index) => `    ${index === 1 ? paint(role, text) : text}`),
    '',
  ].join('\n');
}

/** The line, and under it a mark below the place. A long line is cut around the place. */
function excerptOf(
  text: string,
  { column, length }: { readonly column: number; readonly length: number },
  width: number,
  measure: Measure,
): string[] {
  const characters = [...text];
  if (characters.length === 0) return [];
  let from = 0;
  if (characters.length > width)
    from = Math.max(0, Math.min(column - 1 - Math.floor(width / 3), characters.length - width));
  const shown = visible(
    characters
      .slice(from, from + width)
      .join('')
      .replaceAll('\t', ' '),
  );
  const before = measure(
    visible(
      characters
        .slice(from, column - 1)
        .join('')
        .replaceAll('\t', ' '),
    ),
  );
  const marked = Math.max(1, Math.min(length, characters.length - column + 1, from + width - column + 1));
  return [shown, ' '.repeat(before) + '^'.repeat(marked)];
}

/** `2 errors, 1 warning` */
export function countFindings(findings: readonly Finding[]): string {
  const all = sortFindings(findings);
  const errors = all.filter(each => each.severity === 'error').length;
  const warnings = all.length - errors;
  const parts = [
    errors > 0 ? counted(errors, 'error') : '',
    warnings > 0 ? counted(warnings, 'warning') : '',
  ];
  return parts.filter(part => part !== '').join(', ');
}
