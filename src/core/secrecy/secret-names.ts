/** Names whose values nobody should read. */
export const secretName = /pass(?:word|phrase|wd)|secret|token|api[-_]?key|private[-_]?key|credential/i;

/** What is shorter is hardly a secret that somebody wrote down. */
export const shortestWritten = 8;

/** Whether the parts of a text are written out, and long enough for a secret. */
export function isLiteralSecret(parts: readonly unknown[]): boolean {
  return parts.every(part => typeof part === 'string') && parts.join('').length >= shortestWritten;
}
