import { isObject, kindOf, type Value } from '../../core/model/value.ts';
import type { RecordedExchange } from './recording.ts';

/** So many members are named: a check is to be read. */
const mostMembers = 12;

/**
 * Of which kinds the members of an answer are: what holds again with other values.
 * @param document what its body says, where that is JSON
 */
export function kindsOf(
  { contentType, text, method }: RecordedExchange,
  document: Value | undefined,
): string[] {
  if (method === 'HEAD' || text === undefined || text === '') return [];
  if (/html/.test(contentType)) return ['header content-type contains "html"'];
  if (document === undefined) return [];
  if (Array.isArray(document)) {
    const kinds = kindsOfAll(document.filter(isObject));
    return document.length > 0 && document.every(isObject) && kinds !== undefined
      ? [`each $[*] includes ${kinds}`]
      : [];
  }
  const kinds = isObject(document) ? kindsOfAll([document]) : undefined;
  return kinds === undefined ? [] : [`$ includes ${kinds}`];
}

/** The members that all of them have, of one kind in all of them. */
function kindsOfAll(objects: readonly { readonly [name: string]: Value }[]): string | undefined {
  const [first] = objects;
  if (!first) return undefined;
  const members = Object.keys(first).flatMap(name => {
    const kinds = new Set(objects.map(each => (Object.hasOwn(each, name) ? kindOf(each[name]!) : undefined)));
    const [kind, other] = [...kinds];
    // Of null nothing is known but that it may be missing.
    return kind === undefined || kind === 'null' || other !== undefined ? [] : [`${nameText(name)}: ${kind}`];
  });
  if (members.length === 0) return undefined;
  return `{ ${members.slice(0, mostMembers).join(', ')} }`;
}

function nameText(name: string): string {
  return JSON.stringify(name).replace(/\{/g, '\\{');
}
