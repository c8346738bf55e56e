import { foreignReferencesIn } from '../../language/templates/foreign-references.ts';
import type { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range, Source } from '../../model/source.ts';
import type { WrittenRequest } from './request.ts';

/** What in a request is written as another notation has its references. */
export function foreignReferencesInRequest(
  { targetRange, headers, body, query }: WrittenRequest,
  { text }: Source,
): SourceError[] {
  const inPage = (range: Range, around: 'target' | 'header') =>
    foreignReferencesIn(text, around, (start, end) => ({ start, end }), range);
  const inFence = (excerpt: Excerpt, around: 'payload' | 'document', start = 0) =>
    foreignReferencesIn(excerpt.text, around, (from, to) => excerpt.range(from, to), {
      start,
      end: excerpt.text.length,
    });
  const isGraphql = body?.fence?.form === 'graphql';
  return [
    ...inPage(targetRange, 'target'),
    ...headers.flatMap(({ range }) => inPage(range, 'header')),
    ...(body ? inFence(body.excerpt, isGraphql ? 'document' : 'payload', body.start) : []),
    ...(body?.variables ? inFence(body.variables, 'payload') : []),
    ...(query ? inFence(query, 'payload') : []),
  ];
}
