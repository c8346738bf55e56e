import { valuesOfHeader } from '../../text/header-values.ts';
import { percentDecoded } from '../../text/percent.ts';
import type { Parameter, ParameterStyle } from '../api.ts';
import { type DocumentSet, type Located, Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, member, members } from '../document/json.ts';
import { takesJson } from '../media-types.ts';

/** What a request says outside of its body, as it was sent. */
export interface RequestFields {
  readonly pathValues: ReadonlyMap<string, string>;
  /** Names and values as they stand in the query, still percent-encoded. */
  readonly query: readonly (readonly [name: string, value: string])[];
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly cookies: readonly (readonly [name: string, value: string])[];
}

export function readQuery(url: string): RequestFields['query'] {
  if (!url.includes('?')) return [];
  const query = /\?([^#]*)/.exec(url)?.[1] ?? '';
  return query
    .split('&')
    .filter(pair => pair !== '')
    .map(pair => {
      const at = pair.indexOf('=');
      return at < 0 ? [decodePlus(pair), ''] : [decodePlus(pair.slice(0, at)), pair.slice(at + 1)];
    });
}

export function decodePlus(text: string): string {
  return percentDecoded(text.replaceAll('+', ' '));
}

const delimiters: ReadonlyMap<ParameterStyle, RegExp> = new Map([
  ['spaceDelimited', / |%20|\+/],
  ['pipeDelimited', /\||%7C/i],
  ['tabDelimited', /\t|%09/],
]);

/** The value of a parameter, as its schema has it; nothing where it was not sent. */
export function valueOfParameter(
  parameter: Parameter,
  fields: RequestFields,
  documents: DocumentSet,
): Json | undefined {
  const { schema, mediaType } = parameter;
  // A document is one text, whatever it holds.
  const types = mediaType ? new Set<string>() : typesOf(schema, documents);
  const written = writtenValues(parameter, fields, types, documents);
  if (written === undefined) return undefined;
  if (mediaType && takesJson(mediaType.type) && typeof written === 'string') {
    try {
      return JSON.parse(written) as Json;
    } catch {
      return written;
    }
  }
  return coerce(written, schema, documents);
}

type Written = string | string[] | { [name: string]: string };

function writtenValues(
  { name, in: place, style, explode, schema }: Parameter,
  { pathValues, query, headers, cookies }: RequestFields,
  types: ReadonlySet<string>,
  documents: DocumentSet,
): Written | undefined {
  if (place === 'query') {
    if (style === 'deepObject') return membersInBrackets(name, query);
    if (types.has('object') && explode) return membersByName(schema, query, documents);
    const values = query.filter(([each]) => each === name || each === `${name}[]`).map(([, value]) => value);
    if (values.length === 0) return undefined;
    if (!types.has('array')) return decodePlus(values.at(-1)!);
    if (explode || values.length > 1) return values.map(decodePlus);
    return values[0] === '' ? [] : values[0]!.split(delimiters.get(style) ?? /,|%2C/i).map(decodePlus);
  }
  if (place === 'header') {
    const values = valuesOfHeader(headers, name);
    return values.length === 0 ? undefined : splitSimple(values.join(', '), types, explode);
  }
  if (place === 'cookie') {
    const value = cookies.find(([each]) => each === name)?.[1];
    return value === undefined ? undefined : splitSimple(percentDecoded(value), types, explode);
  }
  const value = pathValues.get(name);
  if (value === undefined) return undefined;
  const plain =
    style === 'label'
      ? value.replace(/^\./, '')
      : style === 'matrix'
        ? value.replace(new RegExp(`^;${name}=?`), '')
        : value;
  const separator =
    explode && style === 'label' ? /\./ : explode && style === 'matrix' ? /;[^=]*=/ : /,|%2C/i;
  return types.has('array')
    ? plain.split(separator).map(percentDecoded)
    : splitSimple(percentDecoded(plain), types, explode);
}

/** A list or an object in one text, with commas. */
export function splitSimple(text: string, types: ReadonlySet<string>, explode: boolean): Written {
  if (types.has('array')) return text === '' ? [] : text.split(/\s*,\s*/);
  if (!types.has('object') || types.has('string')) return text;
  const parts = text.split(/\s*,\s*/);
  const pairs = explode
    ? parts.map(part => part.split('=', 2) as [string, string])
    : parts.flatMap((part, index) => (index % 2 === 0 ? [[part, parts[index + 1] ?? '']] : []));
  return Object.fromEntries(pairs) as { [name: string]: string };
}

/** `filter[state]=free` */
function membersInBrackets(name: string, query: RequestFields['query']): Written | undefined {
  const found = query.flatMap(([each, value]) => {
    const inner =
      each.startsWith(`${name}[`) && each.endsWith(']') ? each.slice(name.length + 1, -1) : undefined;
    return inner === undefined ? [] : [[inner, decodePlus(value)] as const];
  });
  return found.length === 0 ? undefined : Object.fromEntries(found);
}

/** Members of an object that stand in the query by their own names. */
function membersByName(
  schema: Located | undefined,
  query: RequestFields['query'],
  documents: DocumentSet,
): Written | undefined {
  const names = schema ? propertyNames(schema, documents) : new Set<string>();
  const found = query.flatMap(([name, value]) =>
    names.has(name) ? [[name, decodePlus(value)] as const] : [],
  );
  return found.length === 0 ? undefined : Object.fromEntries(found);
}

/** The names of the members that a schema describes. */
export function propertyNames(schema: Located, documents: DocumentSet, seen = new Set<Json>()): Set<string> {
  const target = documents.resolve(schema);
  if (target instanceof Unresolved || seen.has(target.value)) return new Set();
  seen.add(target.value);
  const names = new Set(members(member(target.value, 'properties')).map(([name]) => name));
  for (const keyword of ['allOf', 'anyOf', 'oneOf'])
    for (const each of [member(target.value, keyword) ?? []].flat())
      for (const name of propertyNames({ value: each, document: target.document }, documents, seen))
        names.add(name);
  return names;
}

const knownTypes = new WeakMap<object, ReadonlySet<string>>();

/** The types that a schema lets a value be of; none where it does not say. Found once for each schema. */
export function typesOf(schema: Located | undefined, documents: DocumentSet): ReadonlySet<string> {
  if (!schema || !isJsonObject(schema.value)) return findTypes(schema, documents);
  let types = knownTypes.get(schema.value);
  if (!types) {
    types = findTypes(schema, documents);
    knownTypes.set(schema.value, types);
  }
  return types;
}

function findTypes(
  schema: Located | undefined,
  documents: DocumentSet,
  seen = new Set<Json>(),
): ReadonlySet<string> {
  const found = new Set<string>();
  const target = schema ? documents.resolve(schema) : undefined;
  if (!target || target instanceof Unresolved || !isJsonObject(target.value)) return found;
  if (seen.has(target.value)) return found;
  seen.add(target.value);
  const { type } = target.value;
  for (const each of [type ?? []].flat()) if (typeof each === 'string') found.add(each);
  if (found.size > 0) return found;
  for (const keyword of ['allOf', 'anyOf', 'oneOf'])
    for (const each of [member(target.value, keyword) ?? []].flat())
      for (const inner of findTypes({ value: each, document: target.document }, documents, seen))
        found.add(inner);
  if (found.size === 0 && isJsonObject(target.value.properties)) found.add('object');
  if (found.size === 0 && target.value.items !== undefined) found.add('array');
  return found;
}

/** A text as what its schema takes it for. */
export function coerce(written: Written, schema: Located | undefined, documents: DocumentSet): Json {
  if (Array.isArray(written)) {
    const items = schema && partOf(schema, 'items', documents);
    return written.map(each => coerce(each, items, documents));
  }
  if (typeof written === 'object')
    return Object.fromEntries(
      Object.entries(written).map(([name, each]) => {
        const properties = schema && partOf(schema, 'properties', documents);
        const own = properties && member(properties.value, name);
        const inner = own === undefined ? undefined : { value: own, document: properties!.document };
        return [name, coerce(each, inner, documents)];
      }),
    );
  const types = typesOf(schema, documents);
  const isNumber = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(written);
  if ((types.has('number') || types.has('integer')) && isNumber) return Number(written);
  if (types.has('boolean') && (written === 'true' || written === 'false')) return written === 'true';
  if (types.has('null') && !types.has('string') && (written === '' || written === 'null')) return null;
  return written;
}

function partOf(schema: Located, keyword: string, documents: DocumentSet): Located | undefined {
  const target = documents.resolve(schema);
  if (target instanceof Unresolved) return undefined;
  const value = member(target.value, keyword);
  return value === undefined ? undefined : { value, document: target.document };
}
