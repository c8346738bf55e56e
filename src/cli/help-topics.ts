import findings from '../../docs/findings.md';
import language from '../../docs/language.md';
import { createMeasure, wrap } from '../reports/style.ts';
import type { Terminal } from './terminal.ts';
import { topics } from './topic-names.ts';

// The reference of the language on the terminal: the sections of its documentation, by a word each.

/** A section of the reference, or what a finding means, by its code; nothing where no topic has the name. */
export function sectionOf(topic: string): string | undefined {
  const word = topic.toLowerCase();
  const heading = topics.get(word);
  if (heading !== undefined) return sectionIn(language, heading);
  return /^[a-z]+(?:-[a-z]+)+$|^syntax$/.test(word) ? sectionIn(findings, word) : undefined;
}

/** Up to the next heading of its level or above. */
function sectionIn(text: string, heading: string): string | undefined {
  const lines = text.split('\n');
  let level = 0;
  const section: string[] = [];
  let isFenced = false;
  for (const line of lines) {
    if (/^`{3,}/.test(line)) isFenced = !isFenced;
    const [, marks = '', title] = (!isFenced && /^(#{2,4}) (.*)$/.exec(line)) || [];
    if (level > 0 && title !== undefined && marks.length <= level) break;
    if (level === 0 && title === heading) level = marks.length;
    if (level > 0) section.push(line);
  }
  return section.length === 0 ? undefined : section.join('\n').trim();
}

/** Prints a section as a terminal shows it: no marks, tables in columns, examples set off. */
export async function printSection(section: string, { out, paint, width }: Terminal): Promise<void> {
  const measure = await createMeasure([section]);
  const room = Math.min(100, Math.max(60, width));
  const lines: string[] = [];
  let fence = '';
  let paragraph: string[] = [];
  let rows: string[][] = [];
  const flush = () => {
    if (paragraph.length > 0) lines.push(...wrap(plain(paragraph.join(' ')), room, measure));
    paragraph = [];
    const column = Math.min(40, Math.max(0, ...rows.map(([first = '']) => measure(first))) + 2);
    for (const [first = '', ...rest] of rows) {
      const told = wrap(rest.join('  '), room - column, measure);
      // A long first cell stands above what is said of it.
      const isLong = measure(first) > column - 2;
      if (isLong) lines.push(first);
      for (const [at, line] of told.entries())
        lines.push((at === 0 && !isLong ? first.padEnd(column) : ' '.repeat(column)) + line);
    }
    rows = [];
  };
  for (const line of section.split('\n')) {
    const marks = /^(`{3,})/.exec(line)?.[1];
    if (marks !== undefined && (fence === '' || marks === fence)) {
      flush();
      fence = fence === '' ? marks : '';
    } else if (fence !== '') lines.push(`  ${line}`.trimEnd());
    else if (/^#{2,4} /.test(line)) {
      flush();
      lines.push(paint('strong', plain(line.replace(/^#+ /, ''))));
    } else if (/^\|[ |-]*$/.test(line)) {
      // What divides the head of a table from its rows.
    } else if (line.startsWith('|')) {
      if (rows.length === 0) flush();
      const cells = line.replace(/^\| ?|\|$/g, '').split(/ \|(?: |$)/);
      if (cells.some(cell => cell.trim() !== '')) rows.push(cells.map(cell => plain(cell.trim())));
    } else if (line.trim() === '') {
      flush();
      if (lines.at(-1) !== '') lines.push('');
    } else if (/^(?:- |\d+\. )/.test(line)) {
      flush();
      paragraph.push(line);
    } else paragraph.push(line.trim());
  }
  flush();
  out(
    `${lines
      .map(line => line.trimEnd())
      .join('\n')
      .trimEnd()}\n`,
  );
}

/** Without what Markdown marks words with. */
function plain(text: string): string {
  return text
    .replaceAll('` `', '`, `')
    .replace(/\[([^\]]+)\]\([^)]*\)/g, '$1')
    .replace(/\*\*([^*]+)\*\*/g, '$1')
    .replace(/`([^`]+)`/g, '$1');
}
