import { lower } from './row.ts';

const typesHere: ReadonlyMap<string, string> = new Map([
  ['string', 'text'],
  ['str', 'text'],
  ['array', 'list'],
  ['int', 'integer'],
  ['float', 'number'],
  ['double', 'number'],
  ['decimal', 'number'],
  ['long', 'integer'],
  ['bool', 'boolean'],
  ['map', 'object'],
  ['dict', 'object'],
  ['hash', 'object'],
  ['nil', 'null'],
  ['none', 'null'],
  ['datetime', 'timestamp'],
  ['time', 'timestamp'],
  ['instant', 'timestamp'],
  ['guid', 'uuid'],
  ['uri', 'url'],
  ['link', 'url'],
]);

/** A type as other notations call it, as it is called here. */
export function typeHere(word: string): string {
  return typesHere.get(lower(word)) ?? lower(word);
}

/** Whether a word is what other notations call a type. */
export function isTypeElsewhere(word: string): boolean {
  return typesHere.has(lower(word));
}
