import type { TableRow } from '../rows.ts';
import type { LoadShare } from './arrivals.ts';

/** Somebody who goes through rounds, one after the other. */
export interface LoadUser {
  /** From 1; nobody else who is there bears it, on whatever thread or machine. */
  readonly number: number;
  /** The row that it has taken, which nobody else has. */
  readonly row: TableRow | undefined;
  /** How many rounds it has begun. */
  rounds: number;
}

/** Who is there: users of one phase may still be in a round while those of the next one come. */
export class LoadUsers {
  readonly #there = new Map<number, LoadUser>();
  /** Of those who have left; whoever comes with their number goes on with their count. */
  readonly #rounds = new Map<number, number>();
  readonly #freeRows: TableRow[] | undefined;

  constructor(
    readonly share: LoadShare,
    rows?: readonly TableRow[],
  ) {
    this.#freeRows = rows?.filter((_, index) => index % share.of === share.index).reverse();
  }

  /** Nothing where every row is taken. @param wanted number, where it is free */
  enter(wanted: number): LoadUser | undefined {
    const row = this.#freeRows?.pop();
    if (this.#freeRows && !row) return undefined;
    let number = wanted;
    while (this.#there.has(number)) number += this.share.of;
    const user = { number, row, rounds: this.#rounds.get(number) ?? 0 };
    this.#there.set(number, user);
    return user;
  }

  leave({ number, row, rounds }: LoadUser): void {
    this.#there.delete(number);
    this.#rounds.set(number, rounds);
    if (row) this.#freeRows?.push(row);
  }

  get count(): number {
    return this.#there.size;
  }
}
