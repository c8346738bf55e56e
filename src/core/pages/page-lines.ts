/** The lines of a page, each with its end. */
export function linesWithEnds(text: string): string[] {
  return text.match(/[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+$/g) ?? [];
}

/** How the lines of a page end. */
export function lineEndOf(text: string): string {
  return text.includes('\r\n') ? '\r\n' : '\n';
}

/** What stands before the content of a fence in lists and quotes, where its first line opens one of them. */
export function inside(opening: string): string {
  const [prefix] = /^[ \t>]*(?:(?:[-*+]|\d+[.)])[ \t>]+)*/.exec(opening.replace(/^\uFEFF/, ''))!;
  return prefix.replace(/[^\s>]/g, ' ');
}

/** Lines put before a line of a text, which is counted from 1; the last one gets an end if it has none. */
export function withLines(
  lines: readonly string[],
  before: number,
  added: readonly string[],
  end: string,
): string {
  const above = lines.slice(0, before - 1);
  const [last = ''] = above.slice(-1);
  if (last !== '' && !/[\r\n]$/.test(last)) above[above.length - 1] = last + end;
  return [...above, ...added, ...lines.slice(before - 1)].join('');
}
