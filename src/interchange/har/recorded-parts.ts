import type { Value } from '../../core/model/value.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { JsonError, readJson } from '../../core/values/json-document.ts';
import type { RecordedExchange } from './recording.ts';

// What a recorded request is made of.

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

/** The cookies that an answer sets; a recording may have several in one header, a line each. */
export function cookiesSetBy({ answered }: RecordedExchange): [name: string, value: string][] {
  return answered
    .filter(([name]) => /^set-cookie$/i.test(name))
    .flatMap(([, value]) => value.split('\n'))
    .flatMap(line => {
      const [, name, value] = /^\s*([^=;\s]+)=([^;]*)/.exec(line) ?? [];
      return name === undefined ? [] : [[name, value!] as [string, string]];
    });
}

/** A document of JSON, whose numbers keep all their digits; nothing where it is none. */
export function readDocument(text: string): Value | undefined {
  try {
    return readJson(text);
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    return undefined;
  }
}

export function encodeBraces(text: string): string {
  return text.replaceAll('{', '%7B').replaceAll('}', '%7D');
}
