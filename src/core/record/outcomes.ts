/** Raised when a reader of the record has to know the difference. */
export const recordVersion = 1;

export const outcomes = ['passed', 'failed', 'error', 'blocked', 'skipped'] as const;
export type Outcome = (typeof outcomes)[number];
