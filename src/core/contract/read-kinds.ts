import { inWords } from '../text/words.ts';

/** Kinds that checks of the language tell apart. */
export const kinds = ['text', 'number', 'integer', 'boolean', 'null', 'list', 'object'] as const;
export type ReadKind = (typeof kinds)[number];

export function isReadKind(name: string): name is ReadKind {
  return (kinds as readonly string[]).includes(name);
}

/** Whether what has to be of some kinds may be of this one. */
export function accepts(kinds: ReadonlySet<ReadKind>, kind: ReadKind): boolean {
  return kinds.has(kind) || (kind === 'integer' && kinds.has('number'));
}

export function kindsInWords(kinds: Iterable<ReadKind>): string {
  return inWords([...new Set(kinds)], 'or');
}

/** As JSON Schema calls them, where it has another word. */
const ofSchemaTypes: ReadonlyMap<string, ReadKind> = new Map([
  ['string', 'text'],
  ['array', 'list'],
]);

/** The kind that a type of JSON Schema is; nothing where it is none. */
export function kindOfSchemaType(type: string): ReadKind | undefined {
  const kind = ofSchemaTypes.get(type) ?? type;
  return isReadKind(kind) ? kind : undefined;
}
