/** Numbers that look random and are the same in every run. */
export function sequence(seed: number): (limit: number) => number {
  let state = seed;
  return limit => {
    state = (state * 1103515245 + 12345) & 0x7fffffff;
    return (state >> 8) % limit;
  };
}

const pieces = [
  '"',
  "'",
  '{',
  '}',
  '[',
  ']',
  '(',
  ')',
  '/',
  '\\',
  '$',
  '#',
  '\n',
  '\n  ',
  '\t',
  ' ',
  '-',
  '.',
  ':',
  '|',
  '&a ',
  '*a',
  '```',
  '~~~',
  '---\n',
  'é',
  '\u{1F6A2}',
  '\0',
  '\r\n',
  '<!--',
  'keep ',
  'each ',
  ' or ',
  '```http\n',
  '```mervok\n',
  '```yaml settings\n',
];

/** A text with a few things taken out, said twice or put in. */
export function mutate(text: string, next: (limit: number) => number): string {
  let result = text;
  for (let turns = 1 + next(3); turns > 0; turns--) {
    const at = next(result.length + 1);
    const kind = next(4);
    if (kind === 0) result = result.slice(0, at) + result.slice(at + 1 + next(30));
    else if (kind === 1) result = result.slice(0, at) + result.slice(at, at + next(200)) + result.slice(at);
    else result = result.slice(0, at) + pieces[next(pieces.length)]! + result.slice(at + next(3));
  }
  return result;
}
