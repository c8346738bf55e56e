import type { Template } from '../language/templates/template.ts';

/** Names whose values nobody should read. */
export const secretName = /pass(?:word|phrase|wd)|secret|token|api[-_]?key|private[-_]?key|credential/i;

/** What is shorter is hardly a secret that somebody wrote down. */
export const shortestWritten = 8;

/** Whether the parts of a text are written out, and long enough for a secret. */
export function isLiteralSecret(parts: readonly unknown[]): boolean {
  return parts.every(part => typeof part === 'string') && parts.join('').length >= shortestWritten;
}

/** A signed token in its compact form, its signature included. */
export const signedToken = /\beyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]{16,}/;

/** Whether a header is written out and looks like a secret. */
export function isSecretHeader(name: string, { parts }: Template): boolean {
  if (!parts.every(part => typeof part === 'string')) return false;
  const value = parts.join('');
  if (/^(?:proxy-)?authorization$/i.test(name)) return /^\S+\s+\S{8,}/.test(value);
  return (secretName.test(name) && value.length >= shortestWritten) || signedToken.test(value);
}
