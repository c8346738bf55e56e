import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
import type { RecordedExchange } from './recording.ts';

/** So many members are named: a check is to be read. */
const mostMembers = 12;

/** Of which kinds the members of an answer are: what holds again with other values. */
export function kindsOf({ contentType, text, method }: RecordedExchange): string[] {
  if (method === 'HEAD' || text === undefined || text === '') return [];
  if (/html/.test(contentType)) return ['header content-type contains "html"'];
  if (!/json/.test(contentType)) return [];
  let document: Json;
  try {
    document = JSON.parse(text) as Json;
  } catch {
    return [];
  }
  if (Array.isArray(document)) {
    const kinds = kindsOfAll(document.filter(isJsonObject));
    return document.length > 0 && document.every(isJsonObject) && kinds !== undefined
      ? [`each $[*] includes ${kinds}`]
      : [];
  }
  const kinds = isJsonObject(document) ? kindsOfAll([document]) : undefined;
  return kinds === undefined ? [] : [`$ includes ${kinds}`];
}

/** The members that all of them have, of one kind in all of them. */
function kindsOfAll(objects: readonly { readonly [name: string]: Json }[]): string | undefined {
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

function kindOf(value: Json): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'list';
  if (typeof value === 'object') return 'object';
  return typeof value === 'string' ? 'text' : typeof value;
}
