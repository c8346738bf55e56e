import { randomBytes } from 'node:crypto';
import { type Books, booksOf } from './books.ts';
import type { Defect } from './defects.ts';
import { Gauge } from './gauge.ts';
import { Problem } from './http.ts';
import type { Ledger } from './ledger.ts';

export type BerthState = 'free' | 'taken' | 'closed';

export interface Berth {
  readonly code: string;
  readonly quay: string;
  /** In metres. */
  readonly depth: number;
  state: BerthState;
  /** For a night, in hundredths. */
  tariff: number;
  /** Some berths ask for no deposit. */
  readonly deposit: number | null;
}

export interface Vessel {
  readonly id: bigint;
  readonly name: string;
  /** In metres. */
  readonly length: number;
  readonly flag: string;
}

export interface Reservation {
  readonly id: bigint;
  readonly berth: Berth;
  readonly vessel: bigint;
  nights: number;
  arrival: string;
  cancelled: boolean;
}

const tokenLife = 15 * 60_000;

/** The books of the harbour office: all that it knows, in memory, new at every start. */
export class Office {
  readonly berths: Berth[];
  readonly vessels: Vessel[] = [];
  readonly reservations: Reservation[] = [];
  readonly gauge = new Gauge();
  readonly #tokens = new Map<string, number>();
  #nextId: bigint;

  constructor(
    readonly defects: ReadonlySet<Defect>,
    readonly ledger?: Ledger,
    readonly books: Books = booksOf(0),
  ) {
    this.berths = books.berths.map(berth => ({ ...berth }));
    this.#nextId = books.firstId;
  }

  has(defect: Defect): boolean {
    return this.defects.has(defect);
  }

  newId(): bigint {
    const id = this.#nextId;
    this.#nextId += 2n;
    return id;
  }

  /** How an id is told to the outside. */
  tellId(id: bigint): bigint {
    return this.has('rounded-ids') ? BigInt(Number(id)) : id;
  }

  newToken(): { token: string; expires: string } {
    const token = `skerry-${randomBytes(12).toString('hex')}`;
    const expires = Date.now() + tokenLife;
    this.#tokens.set(token, expires);
    return { token, expires: new Date(expires).toISOString() };
  }

  /** @param authorization the header of that name */
  requireToken(authorization: string | undefined): void {
    const token = /^Bearer (.+)$/.exec(authorization ?? '')?.[1];
    const expires = token === undefined ? undefined : this.#tokens.get(token);
    if (expires === undefined) throw new Problem(401, 'Not signed in', 'A token of this office is needed.');
    if (expires < Date.now()) throw new Problem(401, 'Token expired', 'Sign in again.');
  }

  berth(code: string): Berth {
    return this.berths.find(berth => berth.code === code) ?? fail('berth', code);
  }

  vessel(id: string): Vessel {
    return this.vessels.find(vessel => String(vessel.id) === id) ?? fail('vessel', id);
  }

  reservation(id: string): Reservation {
    const found = this.reservations.find(each => String(each.id) === id);
    if (!found || (found.cancelled && !this.has('late-cancel'))) fail('reservation', id);
    return found;
  }
}

function fail(what: string, id: string): never {
  throw new Problem(404, 'Not found', `There is no ${what} ${id}.`);
}
