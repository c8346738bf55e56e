import { isObject, type Value } from '../model/value.ts';
import { inWords } from '../text/words.ts';
import { equal } from '../values/compare.ts';
import { describe } from '../values/describe.ts';
import type { TypeName } from './ast.ts';
import { pathStep } from './jsonpath/match.ts';
import { isOfType } from './types.ts';

/** A part of a value that is not as it should be. */
export interface Difference {
  /** The way to it: `$.berth.depth`. */
  readonly at: string;
  readonly expected: string;
  readonly found: string;
}

/** In the place of a value, everything of one of these types. */
export class AnyOf {
  constructor(readonly types: readonly TypeName[]) {}
}

/** A value in which types may stand for members and items. */
export type Partial = Value | AnyOf | readonly Partial[] | { readonly [name: string]: Partial };

/** Whether a value holds a part: objects may hold more, lists are as long. */
export function includes(value: Value, part: Partial): boolean {
  return firstDifferences(value, part, { objects: 'open', begin: '$', most: 1 }).length === 0;
}

/** What keeps a value from holding a part, from the beginning to the end; at the most `most` of it. */
export function differencesOfPart(value: Value, part: Partial, begin: string, most: number): Difference[] {
  return firstDifferences(value, part, { objects: 'open', begin, most });
}

/** What keeps two values from being equal. */
export function differences(value: Value, expected: Value, begin: string, most: number): Difference[] {
  return firstDifferences(value, expected, { objects: 'closed', begin, most });
}

interface DifferenceOptions {
  /** Whether an object may hold more than is wanted of it. */
  readonly objects: 'open' | 'closed';
  /** The path of the value. */
  readonly begin: string;
  readonly most: number;
}

function firstDifferences(
  value: Value,
  part: Partial,
  { objects, begin, most }: DifferenceOptions,
): Difference[] {
  const open = objects === 'open';
  const found: Difference[] = [];
  /** Objects whose members were told of: once is enough. */
  const named = new Set<Value>();
  const add = (place: string, expected: string, instead: string) =>
    found.push({ at: place, expected, found: instead });
  const compare = (each: Value, wanted: Partial, place: string): void => {
    if (found.length >= most) return;
    if (wanted instanceof AnyOf) {
      if (!wanted.types.some(type => isOfType(each, type)))
        add(place, wanted.types.length > 0 ? typesInWords(wanted.types) : '', describe(each));
    } else if (isList(wanted) && Array.isArray(each)) compareLists(each, wanted, place);
    else if (isPartialObject(wanted) && isObject(each)) compareObjects(each, wanted, place);
    else if (isList(wanted) || isPartialObject(wanted)) add(place, describePartial(wanted), describe(each));
    else if (equal(each, wanted) !== true) add(place, describe(wanted), describe(each));
  };
  const compareLists = (each: Value[], wanted: readonly Partial[], place: string) => {
    if (each.length !== wanted.length) {
      add(place, itemsInWords(wanted.length), itemsInWords(each.length));
      if (open) return;
    }
    for (let index = 0; index < Math.min(each.length, wanted.length) && found.length < most; index++)
      compare(each[index]!, wanted[index]!, place + pathStep(index));
  };
  const compareObjects = (
    each: { [name: string]: Value },
    wanted: { readonly [name: string]: Partial },
    place: string,
  ) => {
    for (const [name, inner] of Object.entries(wanted)) {
      if (Object.hasOwn(each, name)) compare(each[name]!, inner, place + pathStep(name));
      else {
        add(place + pathStep(name), describePartial(inner), named.has(each) ? 'nothing' : nothingThere(each));
        named.add(each);
      }
    }
    if (open) return;
    for (const name of Object.keys(each))
      if (!Object.hasOwn(wanted, name)) add(place + pathStep(name), 'nothing', describe(each[name]!));
  };
  compare(value, part, begin);
  return found.slice(0, most);
}

function isList(part: Partial): part is readonly Partial[] {
  return Array.isArray(part);
}

function isPartialObject(part: Partial): part is { readonly [name: string]: Partial } {
  return !(part instanceof AnyOf) && isObject(part as Value);
}

function itemsInWords(count: number): string {
  return count === 1 ? '1 item' : `${count} items`;
}

function nothingThere(object: { [name: string]: Value }): string {
  const names = Object.keys(object);
  return `nothing; there ${names.length === 1 ? 'is' : 'are'} ${names.slice(0, 12).join(', ') || 'no members'}${names.length > 12 ? ', …' : ''}`;
}

/** Types in it by their words: `{ "code": "0417", "deposit": number or null }`. */
export function describePartial(part: Partial): string {
  if (part instanceof AnyOf) return part.types.join(' or ');
  if (isList(part)) return part.length === 0 ? '[]' : `[${part.map(describePartial).join(', ')}]`;
  if (isPartialObject(part)) {
    const members = Object.entries(part).map(
      ([name, inner]) => `${JSON.stringify(name)}: ${describePartial(inner)}`,
    );
    return members.length === 0 ? '{}' : `{ ${members.join(', ')} }`;
  }
  return describe(part as Value);
}

/** `a number or null` */
export function typesInWords(types: readonly TypeName[]): string {
  return inWords(types.map(typeInWords), 'or');
}

function typeInWords(type: TypeName): string {
  if (type.endsWith('xx')) return `a ${type} status`;
  if (type === 'null') return 'null';
  return /^[aeiou]/.test(type) && type !== 'uuid' && type !== 'url' ? `an ${type}` : `a ${type}`;
}
