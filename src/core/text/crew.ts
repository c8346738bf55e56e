/** Who is there keeps its own place. */
export interface Member {
  place: number;
}

/**
 * Those who are there, where many come and go. No Set: it makes a new table now and then, and V8 has each old one point to
 * the next, with all that was in it; what has left would be kept until everything is collected.
 */
export class Crew<One extends Member> {
  readonly #all: One[] = [];

  get size(): number {
    return this.#all.length;
  }

  add(one: One): void {
    one.place = this.#all.push(one) - 1;
  }

  /** Whoever is not there has left already. */
  delete(one: One): void {
    const { place } = one;
    if (this.#all[place] !== one) return;
    const last = this.#all.pop()!;
    if (last === one) return;
    this.#all[place] = last;
    last.place = place;
  }

  /** Those who are there now, whoever leaves meanwhile. */
  now(): Set<One> {
    return new Set(this.#all);
  }
}
