import type { CompiledPath } from '../language/jsonpath/evaluate.ts';
import { Match } from '../language/jsonpath/match.ts';
import { Search, SearchEnded } from '../language/jsonpath/search.ts';
import { type Found, Missing, type Value } from '../model/value.ts';
import type { StepRun } from './step.ts';

/**
 * Keeps what the settings want never to be shown in a document out of all that is told. Whether it was found in time; else
 * nothing of the document may be shown.
 */
export function concealParts(run: Pick<StepRun, 'redacted' | 'conceal'>, document: () => Found): boolean {
  const { parts } = run.redacted;
  if (parts.length === 0) return true;
  const found = redactedParts([document()], parts);
  for (const value of found ?? []) run.conceal(value, 'passing');
  return found !== undefined;
}

/**
 * The values in documents that the settings want never to be shown; nothing where it takes too long to find them, so that
 * none of it may be shown at all.
 */
export function redactedParts(
  documents: Iterable<Found>,
  parts: readonly CompiledPath[],
): Value[] | undefined {
  const found: Value[] = [];
  for (const document of documents) {
    if (document instanceof Missing) continue;
    try {
      for (const part of parts)
        for (const { value } of part(new Match(document), new Search(document))) found.push(value);
    } catch (error) {
      if (!(error instanceof SearchEnded)) throw error;
      return undefined;
    }
  }
  return found;
}
