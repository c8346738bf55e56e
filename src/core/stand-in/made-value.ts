import { createHash } from 'node:crypto';
import type { Place } from '../language/templates/template.ts';

/**
 * A value for a name that nobody knows, as it has to be written in its place: a number of its own for the place of a JSON
 * value, a text that says so for all others. The same request gets the same one.
 * @param request what is asked, as a text
 */
export function madeValue(name: string, place: Place, isSecret: boolean, request: () => string): string {
  const hash = createHash('sha256').update(name).update('\0').update(request()).digest('hex');
  const text = `made-up-${name.replaceAll('.', '-')}-${hash.slice(0, 8)}`;
  if (place !== 'json-value') return text;
  return isSecret
    ? JSON.stringify(text)
    : String(100_000 + (Number.parseInt(hash.slice(0, 8), 16) % 900_000));
}
