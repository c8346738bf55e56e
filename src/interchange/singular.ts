/** One of what a word names several of: `berth` for `berths`. */
export function singularOf(word: string): string {
  if (/ies$/i.test(word)) return word.replace(/ies$/i, 'y');
  if (/(?:ss|sh|ch|x)es$/i.test(word)) return word.replace(/es$/i, '');
  return /[^s]s$/i.test(word) ? word.slice(0, -1) : word;
}
