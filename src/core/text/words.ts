/** The number of single edits (insert, delete, replace, swap of neighbours) between two words. */
export function editDistance(a: string, b: string): number {
  let beforeLast: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, index) => index);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1];
      let cost = Math.min(last[j]! + 1, row[j - 1]! + 1, last[j - 1]! + (same ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        cost = Math.min(cost, beforeLast[j - 2]! + 1);
      row.push(cost);
    }
    beforeLast = last;
    last = row;
  }
  return last[b.length]!;
}

/** The known word that is most likely meant, or nothing when none is near. */
export function nearest(word: string, known: Iterable<string>): string | undefined {
  const limit = word.length <= 3 ? 1 : Math.max(2, Math.floor(word.length / 3));
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

/** `12,345`. (Asking Intl for this costs more than all the rest of a short run's output.) */
export function grouped(count: number): string {
  return String(count).replace(/\B(?=(?:\d{3})+$)/g, ',');
}

/** `1 case`, `2 cases` */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${grouped(count)} ${count === 1 ? one : many}`;
}
