import type { Source } from '../model/source.ts';
import type { PageCase } from './page.ts';

/** So many characters of it are worth telling. */
const most = 4000;

/** What a page says in a case around the fences that are carried out, as Markdown. */
export function proseOf({ lines, fences }: Pick<PageCase, 'lines' | 'fences'>, source: Source): string {
  const end = Math.min(lines.to, source.position(source.text.length).line + 1);
  const kept: string[] = [];
  // The heading is the case's title.
  for (let line = lines.from; line < end; line++) {
    const fence = fences.find(each => each.from <= line && line < each.to);
    if (!fence) kept.push(source.lineText(line));
  }
  const text = withoutHeading(kept)
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim();
  return text.length > most ? `${text.slice(0, most)} …` : text;
}

/** A case that begins with a fence has no heading; one of two lines is underlined. */
function withoutHeading(lines: readonly string[]): readonly string[] {
  if (/^ {0,3}#/.test(lines[0] ?? '')) return lines.slice(1);
  return /^ {0,3}(?:=+|-+)\s*$/.test(lines[1] ?? '') ? lines.slice(2) : lines;
}
