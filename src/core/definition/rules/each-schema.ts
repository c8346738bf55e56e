import type { ApiDefinition, MediaType, Operation } from '../api.ts';
import { type Located, Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, members } from '../document/json.ts';

/** Several rules look at all schemas. */
const known = new WeakMap<ApiDefinition, readonly Located<JsonObject>[]>();

/** Visits every schema of a definition once, wherever it is written, whatever refers to it. */
export function eachSchema(api: ApiDefinition, visit: (schema: Located<JsonObject>) => void): void {
  const all = known.get(api) ?? gather(api);
  known.set(api, all);
  for (const each of all) visit(each);
}

function gather(api: ApiDefinition): Located<JsonObject>[] {
  const all: Located<JsonObject>[] = [];
  const seen = new Set<Json>();
  const walk = (located: Located): void => {
    const { value, document } = located;
    if (!isJsonObject(value) || seen.has(value)) return;
    seen.add(value);
    if (typeof value.$ref === 'string') {
      const target = api.documents.target(value.$ref, document);
      if (!(target instanceof Unresolved)) walk(target);
    }
    all.push(located as Located<JsonObject>);
    for (const inner of innerSchemas(value)) walk({ value: inner, document });
  };
  for (const located of outerSchemas(api)) walk(located);
  return all;
}

const lists: readonly string[] = ['allOf', 'anyOf', 'oneOf', 'prefixItems'];
const maps: readonly string[] = [
  'properties',
  'patternProperties',
  'dependentSchemas',
  '$defs',
  'definitions',
];
const single: readonly string[] = [
  ...['not', 'items', 'additionalProperties', 'if', 'then', 'else', 'contains', 'propertyNames'],
  ...['unevaluatedItems', 'unevaluatedProperties'],
];

/** The schemas right inside of one. */
export function* innerSchemas(schema: JsonObject): Generator<Json> {
  for (const keyword of single) if (Object.hasOwn(schema, keyword)) yield schema[keyword]!;
  for (const keyword of lists) {
    const list = schema[keyword];
    if (Object.hasOwn(schema, keyword) && Array.isArray(list)) yield* list;
  }
  for (const keyword of maps)
    if (Object.hasOwn(schema, keyword)) for (const [, each] of members(schema[keyword])) yield each;
}

function* outerSchemas({ version, root, operations }: ApiDefinition): Generator<Located> {
  const components = version === '2.0' ? root.value : root.value.components;
  const named = version === '2.0' ? 'definitions' : 'schemas';
  if (isJsonObject(components))
    for (const [, value] of members(components[named])) yield { value, document: root.document };
  for (const operation of operations) yield* schemasOf(operation);
}

/** The schemas that an operation names itself. */
export function* schemasOf(operation: Operation): Generator<Located> {
  for (const { schema } of operation.parameters) if (schema) yield schema;
  for (const { schema } of contentsOf(operation)) if (schema) yield schema;
  for (const { headers } of operation.responses.values())
    for (const { schema } of headers) if (schema) yield schema;
}

/** Every body of an operation, in each of its types. */
export function* contentsOf(operation: Operation): Generator<MediaType> {
  yield* operation.body?.content ?? [];
  for (const { content } of operation.responses.values()) yield* content;
}
