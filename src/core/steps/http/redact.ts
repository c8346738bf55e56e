import type { Exchange } from '../../model/http-messages.ts';
import type { Value } from '../../model/value.ts';
import { redactedParts } from '../redacted-parts.ts';
import type { Redacted } from '../step.ts';
import { viewOfSent } from './exchange-event.ts';
import { ResponseView } from './response-view.ts';

/**
 * The values in a request and its response that the settings want never to be shown; nothing where it takes too long to
 * find them, so that no body may be shown at all.
 */
export function redactedIn(exchange: Exchange, { headers, parts }: Redacted): Value[] | undefined {
  if (headers.size + parts.length === 0) return [];
  const { request, response } = exchange;
  const found: Value[] = [...request.headers, ...(response?.headers ?? [])]
    .filter(([name]) => headers.has(name.toLowerCase()))
    .map(([, value]) => value);
  if (parts.length === 0) return found;
  const views = [viewOfSent([exchange]), ...(response ? [new ResponseView(response)] : [])];
  const inBodies = redactedParts(
    views.map(view => view.document),
    parts,
  );
  return inBodies && [...found, ...inBodies];
}
