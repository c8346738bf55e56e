import type { CompiledPath } from '../language/jsonpath/evaluate.ts';
import { Match } from '../language/jsonpath/match.ts';
import { Search, SearchEnded } from '../language/jsonpath/search.ts';
import { type Found, Missing, type Value } from '../model/value.ts';

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
