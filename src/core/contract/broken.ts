import type { Place } from '../model/place.ts';

/** Something that pages rely on and that is not so. */
export interface Broken {
  /** `GET /berths/{berth}` */
  readonly operation: string;
  /** Nothing where the operation as a whole is meant. */
  readonly part?: string;
  readonly status?: string;
  readonly message: string;
  /** Where a page relies on it. */
  readonly place: Place;
  readonly case: string;
  /** Whether it is one: else it is only told. */
  readonly isFailure: boolean;
}

/** What pages rely on, beside something else. */
export interface Beside {
  readonly broken: readonly Broken[];
  /** How many parts were set beside it. */
  readonly looked: number;
  /** Told, and no failure: what could not be looked at. */
  readonly notes: readonly string[];
}
