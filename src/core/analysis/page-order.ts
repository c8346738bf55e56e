import { type Finding, finding } from '../model/finding.ts';
import type { Level, Written } from '../settings/level.ts';
import { didYouMean } from '../text/words.ts';

/** What `order` of a folder's settings says of the pages and folders in it. */
interface FolderOrder {
  readonly level: Level;
  readonly places: ReadonlyMap<string, { readonly rank: number; readonly written: Written }>;
}

/** Pages in the order that the settings give, else of their names. What is wrong with an `order` is a finding. */
export class PageOrder {
  readonly findings: Finding[] = [];
  /** By the folder, '' for the root. */
  readonly #folders = new Map<string, FolderOrder>();

  constructor(levels: Iterable<Level>, files: readonly string[]) {
    for (const level of levels) {
      if (!level.order) continue;
      const folder = level.source.file.replace(/\/?[^/]*$/, '');
      const below = folder === '' ? '' : `${folder}/`;
      const known = new Set(
        files.filter(file => file.startsWith(below)).map(file => file.slice(below.length).split('/')[0]!),
      );
      const places = new Map<string, { rank: number; written: Written }>();
      for (const [rank, written] of level.order.entries()) {
        const name = written.text.replace(/^\.\/|\/$/g, '');
        if (!known.has(name))
          this.findings.push(
            finding(
              'order-unknown',
              { source: level.source, range: written.range },
              `There is no page or folder '${name}' ${folder === '' ? 'at the root of the collection' : `in ${folder}`}.`,
              didYouMean(name, known) ?? 'An order names what lies right in its folder.',
            ),
          );
        else if (!places.has(name)) places.set(name, { rank, written });
      }
      this.#folders.set(folder, { level, places });
    }
  }

  compare(a: string, b: string): number {
    const { folder, names } = parting(a, b);
    const places = this.#folders.get(folder)?.places;
    const [first, second] = names.map(name => places?.get(name)?.rank ?? Number.POSITIVE_INFINITY) as [
      number,
      number,
    ];
    return first === second ? compareNames(a, b) : first - second;
  }

  /** The entry of an order that puts a page before another one, where both are named. */
  saysBefore(first: string, second: string): { level: Level; written: Written } | undefined {
    const { folder, names } = parting(first, second);
    const order = this.#folders.get(folder);
    const [a, b] = names.map(name => order?.places.get(name));
    return order && a && b && a.rank < b.rank ? { level: order.level, written: a.written } : undefined;
  }
}

/** The folder in which two paths part, and their names in it. */
function parting(a: string, b: string): { folder: string; names: [string, string] } {
  const [x, y] = [a.split('/'), b.split('/')];
  let at = 0;
  while (x[at] === y[at] && at < x.length - 1 && at < y.length - 1) at++;
  return { folder: x.slice(0, at).join('/'), names: [x[at]!, y[at]!] };
}

/** By name, numbers in it as numbers: tide-9.md before tide-10.md. */
export function compareNames(a: string, b: string): number {
  const [x, y] = [a.split(/(\d+|\/)/), b.split(/(\d+|\/)/)];
  for (let at = 0; at < Math.min(x.length, y.length); at++) {
    const [p, q] = [x[at]!, y[at]!];
    const bothNumbers = /^\d/.test(p) && /^\d/.test(q);
    const order = bothNumbers ? Number(p) - Number(q) : p < q ? -1 : p > q ? 1 : 0;
    if (order !== 0) return order;
  }
  return x.length - y.length;
}
