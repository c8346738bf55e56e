import type { Place } from '../model/place.ts';

/** Why an operation came to nothing; the message says what was tried, what happened and what to look at. */
export interface OperationFault {
  readonly kind: string;
  readonly message: string;
  /** Where it is in the page, if not where the step begins. */
  readonly place?: Place;
  /** The line of the page, where the place in it is worth to be marked. */
  readonly line?: string;
}

/** What every kind of operation that reaches out has to be made real. */
export interface OperationPort<PageState> {
  /** What it keeps for a page while that runs: begins with what others kept, as it is now; later ones win. */
  openPage?(from: readonly PageState[]): PageState;
}
