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
