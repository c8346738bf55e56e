import { distance } from 'fastest-levenshtein';

/** The number of single edits (insert, delete, replace, swap of neighbours) between two words. */
export function editDistance(a: string, b: string): number {
  const plain = distance(a, b);
  if (plain < 2) return plain;
  const { word, swaps } = swappedTowards(a, b);
  return swaps === 0 ? plain : Math.min(plain, swaps + distance(word, b));
}

/** A word with those neighbours swapped that another one has the other way round. */
function swappedTowards(a: string, b: string): { word: string; swaps: number } {
  const letters = [...a];
  let swaps = 0;
  for (let at = 0; at + 1 < letters.length; at++) {
    const [first, second] = [letters[at]!, letters[at + 1]!];
    if (first === second || first !== b[at + 1] || second !== b[at]) continue;
    [letters[at], letters[at + 1]] = [second, first];
    swaps++;
    at++;
  }
  return { word: letters.join(''), swaps };
}

/** The known word that is most likely meant, or nothing when none is near. */
export function nearest(word: string, known: Iterable<string>): string | undefined {
  const limit = word.length <= 4 ? 1 : Math.max(2, Math.floor(word.length / 3));
  let best: string | undefined;
  let bestDistance = limit + 1;
  for (const candidate of known) {
    if (Math.abs(candidate.length - word.length) >= bestDistance) continue;
    const distance = editDistance(word.toLowerCase(), candidate.toLowerCase());
    if (distance < bestDistance) [best, bestDistance] = [candidate, distance];
  }
  return best;
}

/** `Did you mean 'status'?`, or nothing. */
export function didYouMean(word: string, known: Iterable<string>): string | undefined {
  const meant = nearest(word, known);
  return meant === undefined ? undefined : `Did you mean '${meant}'?`;
}

/** `a, b and c` */
export function inWords(items: readonly string[], last = 'and'): string {
  return items.length < 2 ? items.join('') : `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)}`;
}

/** With its first letter large. */
export function capitalized(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

/** `12,345`. (Asking Intl for this costs more than all the rest of a short run's output.) */
export function grouped(count: number): string {
  return String(count).replace(/\B(?=(?:\d{3})+$)/g, ',');
}

/** `1 case`, `2 cases` */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${grouped(count)} ${count === 1 ? one : many}`;
}
