const mark = Symbol.for('mervok.usage-error');

/**
 * What somebody has to mend before anything can be sent: a word of the command line, a file, a selection that names
 * nothing. Its message is all that is printed. Each part of the bundle may have a class of its own, so it is known by its
 * mark.
 */
export class UsageError extends Error {
  override readonly name = 'UsageError';
  readonly [mark] = true;
}

export function isUsageError(error: unknown): error is UsageError {
  return error instanceof Error && (error as Partial<UsageError>)[mark] === true;
}
