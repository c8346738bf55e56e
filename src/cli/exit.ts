/** What the exit code of the program says. */
export const exitCodes = {
  passed: 0,
  /** A case failed, was blocked or in error. */
  failed: 1,
  /** Nothing was sent: the command line, the settings or a page is wrong. */
  nothingSent: 2,
  /** The run could not be finished, or a report could not be written. */
  unfinished: 3,
  interrupted: 130,
} as const;

const forPeople = new Set(['UsageMistake', 'FileMistake', 'SelectionMistake']);

/** Whether what it says is all that is to be printed. Told by names: each part of the bundle has classes of its own. */
export function isForPeople(error: unknown): error is UsageMistake {
  return error instanceof Error && forPeople.has(error.name);
}

/** What the user has to mend before anything can be sent; the message is all that is printed. */
export class UsageMistake extends Error {
  override readonly name = 'UsageMistake';
}
