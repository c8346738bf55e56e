import { percentDecoded } from '../../text/percent.ts';
import type { OpenApiVersion } from '../api.ts';
import type { DocumentSet, Located } from '../document/document-set.ts';
import { Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member, members, textOf } from '../document/json.ts';

/** What a value is looked at as: some members belong to requests or responses alone. */
export type Direction = 'request' | 'response' | 'either';

/** What converting needs to know, and whom it tells of other schemas. */
export interface Conversion {
  readonly version: OpenApiVersion;
  readonly documents: DocumentSet;
  readonly direction: Direction;
  /** The name under which another schema is known; `plainly` without what a discriminator chooses. */
  nameOf(located: Located, plainly?: boolean): string;
}

type Schema = JsonObject | boolean;

/** The keyword of a schema that nothing can be compared with, and why; whatever needs none of it is not kept by it. */
export const unusableKeyword = 'unusable';

/**
 * A schema of OpenAPI as one of JSON Schema 2020-12, with the vocabularies of OpenAPI turned into what they mean, and
 * whatever is of a wrong form left out: that is for the rules to tell.
 */
export function convertSchema(located: Located, conversion: Conversion, plainly = false): Schema {
  const { value, document } = located;
  if (typeof value === 'boolean') return value;
  if (!isJsonObject(value)) return true;
  const { version } = conversion;
  const reference = textOf(value.$ref) ?? textOf(value.$dynamicRef);
  const referred = reference === undefined ? undefined : refer(reference, located, conversion, plainly);
  // Before 3.1 nothing beside a reference counts.
  if (referred && (version !== '3.1' || Object.keys(value).length === 1)) return referred;
  const at = (inner: Json): Located => ({ value: inner, document });
  const hidden = hiddenNames(located, conversion);
  const converted: JsonObject = {};
  for (const [keyword, inner] of Object.entries(value)) {
    if (isPlainKeyword(keyword, inner)) converted[keyword] = inner;
    else if (oneSchema.has(keyword)) {
      if (isSchema(inner)) converted[keyword] = convertSchema(at(inner), conversion);
    } else if (listOfSchemas.has(keyword)) {
      if (Array.isArray(inner) && inner.length > 0)
        converted[keyword] = inner.map(each => convertSchema(at(each), conversion, keyword === 'allOf'));
    } else if (mapOfSchemas.has(keyword)) {
      const schemas: JsonObject = {};
      for (const [name, each] of members(inner)) define(schemas, name, convertMember(at(each), conversion));
      converted[keyword] = schemas;
    }
  }
  if (Array.isArray(value.required)) {
    const required = value.required.filter(name => typeof name === 'string' && !hidden.has(name));
    if (required.length > 0) converted.required = [...new Set(required)];
  }
  if (version !== '3.1') convertOlder(value, converted);
  const chosen = plainly ? undefined : discriminated(located, converted, conversion);
  const all = [...(referred === undefined ? [] : [referred]), ...(chosen ?? [])];
  return all.length === 0 ? converted : { allOf: [converted, ...all] };
}

/** A member that a response must not have is nothing there. */
function convertMember(located: Located, conversion: Conversion): Schema {
  if (conversion.direction === 'response' && isMarked(located, 'writeOnly', conversion)) return false;
  return convertSchema(located, conversion);
}

function refer(reference: string, { document }: Located, conversion: Conversion, plainly: boolean): Schema {
  const target = conversion.documents.target(reference, document);
  if (target instanceof Unresolved) return { [unusableKeyword]: target.reason };
  return { $ref: conversion.nameOf(target, plainly) };
}

const oneSchema: ReadonlySet<string> = new Set([
  ...['not', 'items', 'additionalProperties', 'if', 'then', 'else', 'contains', 'propertyNames'],
  ...['unevaluatedItems', 'unevaluatedProperties'],
]);
const listOfSchemas: ReadonlySet<string> = new Set(['allOf', 'anyOf', 'oneOf', 'prefixItems']);
const mapOfSchemas: ReadonlySet<string> = new Set(['properties', 'patternProperties', 'dependentSchemas']);
const counts: ReadonlySet<string> = new Set([
  ...['minLength', 'maxLength', 'minItems', 'maxItems', 'minProperties', 'maxProperties'],
  ...['minContains', 'maxContains'],
]);
const numbers: ReadonlySet<string> = new Set([
  ...['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum'],
]);
const types: ReadonlySet<Json> = new Set([
  ...['array', 'boolean', 'integer', 'null', 'number', 'object', 'string'],
]);

/** Whether a keyword means the same in JSON Schema, and has a form that it can have there. */
function isPlainKeyword(keyword: string, value: Json): boolean {
  if (keyword === 'type')
    return (
      types.has(value) || (Array.isArray(value) && value.length > 0 && value.every(each => types.has(each)))
    );
  if (keyword === 'enum') return Array.isArray(value) && value.length > 0;
  if (keyword === 'const') return true;
  if (keyword === 'format') return typeof value === 'string';
  if (keyword === 'pattern') return typeof value === 'string' && isPattern(value);
  if (keyword === 'uniqueItems') return typeof value === 'boolean';
  if (keyword === 'multipleOf') return typeof value === 'number' && value > 0;
  if (keyword === 'dependentRequired') return members(value).every(([, names]) => Array.isArray(names));
  if (counts.has(keyword)) return Number.isInteger(value) && (value as number) >= 0;
  return numbers.has(keyword) && typeof value === 'number';
}

/** Whether a text is a pattern of ECMAScript, in either of its two readings. */
export function isPattern(text: string): boolean {
  return patternOf(text) !== undefined;
}

/** Many are written with escapes that the stricter reading refuses. */
export function patternOf(text: string): RegExp | undefined {
  for (const flags of ['u', ''])
    try {
      return new RegExp(text, flags);
    } catch {
      // The other reading may take it.
    }
  return undefined;
}

function isSchema(value: Json): boolean {
  return isJsonObject(value) || typeof value === 'boolean';
}

/** What 2.0 and 3.0 say in words of their own. */
function convertOlder(value: JsonObject, converted: JsonObject): void {
  for (const [limit, exclusive] of [
    ['minimum', 'exclusiveMinimum'],
    ['maximum', 'exclusiveMaximum'],
  ] as const) {
    if (value[exclusive] !== true || typeof value[limit] !== 'number') continue;
    delete converted[limit];
    converted[exclusive] = value[limit];
  }
  if (value.nullable !== true && value['x-nullable'] !== true) return;
  if (typeof converted.type === 'string') converted.type = [converted.type, 'null'];
  else if (
    converted.type === undefined &&
    ['allOf', 'anyOf', 'oneOf'].some(each => Array.isArray(value[each]))
  ) {
    // Whoever writes it there means that null may come, though the letter of 3.0.3 gives it no meaning.
    const whole = { ...converted };
    for (const keyword of Object.keys(converted)) delete converted[keyword];
    converted.anyOf = [{ type: 'null' }, whole];
  }
}

/** Names that need not be there, since they belong to the other direction: of the schema, and of what it is made of. */
function hiddenNames(
  located: Located,
  conversion: Conversion,
  names = new Set<string>(),
  seen = new Set<Json>(),
): Set<string> {
  const { value, document } = located;
  if (!isJsonObject(value) || seen.has(value)) return names;
  seen.add(value);
  const marks =
    conversion.direction === 'either'
      ? (['readOnly', 'writeOnly'] as const)
      : ([conversion.direction === 'request' ? 'readOnly' : 'writeOnly'] as const);
  for (const [name, each] of members(value.properties))
    if (marks.some(mark => isMarked({ value: each, document }, mark, conversion))) names.add(name);
  if (Array.isArray(value.allOf))
    for (const each of value.allOf) {
      const target = conversion.documents.resolve({ value: each, document });
      if (!(target instanceof Unresolved)) hiddenNames(target, conversion, names, seen);
    }
  return names;
}

function isMarked(located: Located, mark: 'readOnly' | 'writeOnly', { documents }: Conversion): boolean {
  if (member(located.value, mark) === true) return true;
  if (member(located.value, '$ref') === undefined) return false;
  const target = documents.resolve(located);
  return !(target instanceof Unresolved) && member(target.value, mark) === true;
}

/**
 * What a discriminator chooses: of several forms the one that its member names, and no other; of a schema that others
 * are made of, the one that is named.
 */
function discriminated(
  located: Located,
  converted: JsonObject,
  conversion: Conversion,
): Schema[] | undefined {
  const { value } = located;
  if (!isJsonObject(value)) return undefined;
  const discriminator = value.discriminator;
  const name = textOf(discriminator) ?? textOf(member(discriminator, 'propertyName'));
  if (name === undefined) return undefined;
  const keyword = (['oneOf', 'anyOf'] as const).find(each => Array.isArray(value[each]));
  const forms = formsOf(located, discriminator, keyword && (value[keyword] as Json[]), conversion);
  if (forms.size === 0) return undefined;
  if (keyword) delete converted[keyword];
  const choices = [...forms].map(([word, target]) => ({
    if: { properties: { [name]: { const: word } }, required: [name] },
    // What others are made of is a part of them, and would choose again.
    // biome-ignore lint/suspicious/noThenProperty: a keyword of JSON Schema
    then: { $ref: conversion.nameOf(target, keyword === undefined) },
  }));
  const named: Schema[] = keyword
    ? [{ type: 'object', required: [name], properties: { [name]: { enum: [...forms.keys()] } } }]
    : [];
  return [...named, ...choices];
}

/** The schemas that a discriminator chooses from, by what its member says. */
function formsOf(
  { document }: Located,
  discriminator: Json | undefined,
  alternatives: readonly Json[] | undefined,
  { documents }: Conversion,
): Map<string, Located> {
  const forms = new Map<string, Located>();
  const add = (word: string, reference: string) => {
    const target = documents.target(reference, document);
    if (!(target instanceof Unresolved)) forms.set(word, target);
  };
  const mapped = members(member(discriminator, 'mapping'));
  for (const [word, written] of mapped) {
    const reference = textOf(written);
    if (reference !== undefined)
      add(word, /[#/.]/.test(reference) ? reference : `#/components/schemas/${reference}`);
  }
  const targets = new Set([...forms.values()].map(({ value }) => value));
  for (const each of alternatives ?? []) {
    const reference = textOf(member(each, '$ref'));
    // Forms that are written out have no name that could be said.
    if (reference === undefined) return new Map();
    const target = documents.target(reference, document);
    if (target instanceof Unresolved || targets.has(target.value)) continue;
    forms.set(percentDecoded(reference.replace(/^.*[/#]/, '').replace(/\.(?:json|ya?ml)$/, '')), target);
  }
  return forms;
}

function define(object: JsonObject, name: string, value: Json): void {
  Object.defineProperty(object, name, { value, enumerable: true, writable: true, configurable: true });
}
