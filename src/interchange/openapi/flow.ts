import type { Operation } from '../../core/definition/api.ts';
import type { Producers } from './producers.ts';

/**
 * Which case may take a name from which: not from one that comes later on its page, and not in a circle of pages. The cases
 * of each page are brought into an order in which they work.
 */
export class Flow {
  readonly #pageOf = new Map<Operation, number>();
  readonly #placeOf = new Map<Operation, number>();
  /** From a page to those that it takes names from. */
  readonly #sources = new Map<number, Set<number>>();
  readonly pages: readonly (readonly Operation[])[];

  /** @param pages the operations of each, in their usual order */
  constructor(
    pages: readonly (readonly Operation[])[],
    readonly producers: Producers,
  ) {
    for (const [page, operations] of pages.entries())
      for (const each of operations) this.#pageOf.set(each, page);
    this.pages = pages.map(operations => this.#ordered(operations));
    for (const operations of this.pages)
      for (const [place, each] of operations.entries()) this.#placeOf.set(each, place);
  }

  /** Whether a case may use a name; where it may, its page then depends on that of the maker. */
  takes(user: Operation, name: string): boolean {
    const maker = this.producers.makerOf(name);
    if (!maker || maker === user) return false;
    const [own, other] = [this.#pageOf.get(user)!, this.#pageOf.get(maker)!];
    if (own === other) return this.#placeOf.get(maker)! < this.#placeOf.get(user)!;
    if (this.#reaches(other, own)) return false;
    this.#sources.set(own, (this.#sources.get(own) ?? new Set()).add(other));
    return true;
  }

  #reaches(from: number, to: number, seen = new Set<number>()): boolean {
    if (from === to) return true;
    seen.add(from);
    return [...(this.#sources.get(from) ?? [])].some(
      each => !seen.has(each) && this.#reaches(each, to, seen),
    );
  }

  /** What signs in first; each behind those of its page that give parts of its path. Circles stay as they are. */
  #ordered(operations: readonly Operation[]): Operation[] {
    const ordered = new Set<Operation>();
    const open = new Set<Operation>();
    const own = new Set(operations);
    const add = (operation: Operation): void => {
      if (ordered.has(operation) || open.has(operation)) return;
      open.add(operation);
      for (const { name, in: place } of operation.parameters) {
        const known = place === 'path' ? this.producers.nameOf(operation, name) : undefined;
        const maker = known === undefined ? undefined : this.producers.makerOf(known);
        if (maker && own.has(maker)) add(maker);
      }
      ordered.add(operation);
    };
    for (const each of operations) if (this.producers.keptBy(each).some(({ secret }) => secret)) add(each);
    for (const each of operations) if (each.method !== 'DELETE') add(each);
    for (const each of operations) add(each);
    return [...ordered];
  }
}
