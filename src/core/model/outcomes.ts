/** Raised when a reader of the record has to know the difference; `upgrade.ts` reads the earlier ones. */
export const recordVersion = 3;

export const outcomes = ['passed', 'failed', 'error', 'blocked', 'skipped'] as const;
export type Outcome = (typeof outcomes)[number];

/**
 * What ends a run before everything has run: an interrupt, its limit of time, the first failure, what its load was to be
 * ended by; or something that left it no time to say so, which only those find out who read its record.
 */
export const stops = ['interrupt', 'timeout', 'failure', 'condition', 'killed'] as const;
export type Stop = (typeof stops)[number];

/** Why an operation took place, where it is not that of the case for the first time. */
export const causes = ['token', 'challenge', 'redirect', 'retry', 'repeat'] as const;
export type Cause = (typeof causes)[number];
