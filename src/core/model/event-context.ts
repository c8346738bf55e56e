/** What every event of an iteration says. */
export interface EventContext {
  readonly round: number;
  /** From 1, where there are several. */
  readonly user?: number;
}

/** What every event of a case says. */
export interface CaseEventContext extends EventContext {
  /** The address of the case. */
  readonly case: string;
  /** For a case that runs for each row: which one, from 1. */
  readonly row?: number;
}
