import type { Json } from '../../core/definition/document/json.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import type { RecordedExchange } from './read-har.ts';

// What a recorded request is made of.

/** Everything that a request says by itself. */
export function* valuesOf({ url, body }: RecordedExchange): Generator<string> {
  const { pathname, searchParams } = new URL(url);
  for (const segment of pathname.split('/')) if (segment !== '') yield percentDecoded(segment);
  for (const [, value] of searchParams) yield value;
  for (const { value } of body?.fields ?? []) if (value !== undefined) yield percentDecoded(value);
  const document = body?.text === undefined ? undefined : readJson(body.text);
  if (document !== undefined) yield* scalarsIn(document);
  else for (const [, value] of pairsIn(body?.text ?? '')) yield value;
}

function* scalarsIn(value: Json): Generator<string> {
  if (typeof value === 'string' || typeof value === 'number') yield String(value);
  else if (typeof value === 'object' && value !== null)
    for (const each of Object.values(value)) yield* scalarsIn(each);
}

export function pairsIn(text: string): [string, string][] {
  return text
    .split('&')
    .filter(pair => pair.includes('='))
    .map(pair => {
      const at = pair.indexOf('=');
      return [
        percentDecoded(pair.slice(0, at).replaceAll('+', ' ')),
        percentDecoded(pair.slice(at + 1).replaceAll('+', ' ')),
      ];
    });
}

export function cookiesIn(headers: RecordedExchange['headers']): [string, string][] {
  return headers
    .filter(([name]) => /^cookie$/i.test(name))
    .flatMap(([, value]) => value.split(/;\s*/))
    .flatMap(pair => {
      const at = pair.indexOf('=');
      return at < 1 ? [] : [[pair.slice(0, at), pair.slice(at + 1)] as [string, string]];
    });
}

export function readJson(text: string): Json | undefined {
  try {
    return JSON.parse(text) as Json;
  } catch {
    return undefined;
  }
}

export function encodeBraces(text: string): string {
  return text.replaceAll('{', '%7B').replaceAll('}', '%7D');
}
