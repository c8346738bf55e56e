import { inWords } from '../text/words.ts';
import type { MediaType } from './api.ts';

/** A type without its parameters, in small letters. */
export function typeName(contentType: string): string {
  return contentType.replace(/;.*$/s, '').trim().toLowerCase();
}

export function isJsonType(name: string): boolean {
  return /^(?:application|text)\/(?:[\w.+-]+\+)?json$/.test(name);
}

/** Types as a choice: `application/json or text/*`. */
export function typesInWords(content: readonly MediaType[]): string {
  return inWords(
    content.map(({ type }) => type),
    'or',
  );
}

/** Whether a type in a definition is JSON, or a range that takes it in. */
export function takesJson(type: string): boolean {
  const name = typeName(type);
  return isJsonType(name) || name === '*/*' || name === 'application/*';
}

export function isTextType(name: string): boolean {
  return name.startsWith('text/');
}

/** The description that a type falls under: the most exact one, ranges such as `text/*` behind. */
export function mediaTypeFor(
  content: readonly MediaType[],
  contentType: string | undefined,
): MediaType | undefined {
  if (contentType === undefined) return undefined;
  const exact = content.find(({ type }) => type === contentType);
  if (exact) return exact;
  const name = typeName(contentType);
  const range = `${name.replace(/\/.*$/, '')}/*`;
  const written = contentType.replace(/\s/g, '').toLowerCase();
  return (
    content.find(({ type }) => type.replace(/\s/g, '').toLowerCase() === written) ??
    content.find(({ type }) => typeName(type) === name) ??
    content.find(({ type }) => typeName(type) === range) ??
    content.find(({ type }) => typeName(type) === '*/*')
  );
}
