import type { ErrorObject } from 'ajv';
import { differencesIn } from '../../language/documents/schema-differences.ts';
import { TimeLimitError, withinTime } from '../../text/time-limit.ts';
import { cut } from '../../values/describe.ts';
import type { ApiDefinition, ApiExample, MediaType } from '../api.ts';
import type { Located } from '../document/document-set.ts';
import { isJsonObject, type Json, type JsonObject } from '../document/json.ts';
import { isJsonType, takesJson, typeName } from '../media-types.ts';
import type { Direction } from '../schemas/convert-schema.ts';
import { SchemaSet, SchemaUnusable } from '../schemas/schema-set.ts';
import { eachSchema } from './each-schema.ts';
import type { DefinitionPlace, Report, Rule } from './rule.ts';

/** So long, in milliseconds, all examples may be looked at, and where that was not enough, each of them. */
const timeouts = { all: 10_000, each: 1000 };

/** Examples and defaults that do not fit their own schema. `loadSchemas()` comes before. */
export const exampleRule: Rule = (api, report) => {
  // To look at each under a limit of its own takes as long as looking at it.
  try {
    const found: Parameters<Report>[] = [];
    const examples = new Examples(
      api,
      (...told) => found.push(told),
      run => run(),
    );
    withinTime(timeouts.all, 'looking at examples', () => lookAtAll(api, examples));
    for (const told of found) report(...told);
  } catch (error) {
    if (!(error instanceof TimeLimitError)) throw error;
    lookAtAll(api, new Examples(api, report, run => withinTime(timeouts.each, 'looking at an example', run)));
  }
};

function lookAtAll(api: ApiDefinition, examples: Examples): void {
  const seen = new Set<JsonObject>();
  for (const { parameters, body, responses } of api.operations) {
    for (const { schema, located } of parameters)
      if (schema && schema.value !== located.value && !seen.has(located.value)) {
        seen.add(located.value);
        examples.ofParameter(located, schema);
      }
    for (const each of body?.content ?? []) examples.ofContent(each, 'request');
    for (const { content } of responses.values())
      for (const each of content) examples.ofContent(each, 'response');
  }
  eachSchema(api, schema => examples.ofSchema(schema));
}

class Examples {
  readonly #sets = new Map<Direction, SchemaSet>();
  readonly #seen = new Set<Json>();

  constructor(
    readonly api: ApiDefinition,
    readonly report: Report,
    readonly limited: <Result>(run: () => Result) => Result,
  ) {}

  ofContent({ type, schema, examples }: MediaType, direction: Direction): void {
    if (!schema || !takesJson(type)) return;
    // Of a range a text may stand for a body of any kind.
    for (const example of examples)
      if (typeof example.value !== 'string' || isJsonType(typeName(type)))
        this.#check(example.value, schema, direction, placeOf(example));
  }

  ofParameter(located: Located<JsonObject>, schema: Located): void {
    if (Object.hasOwn(located.value, 'example'))
      this.#check(located.value.example!, schema, 'either', { located, key: 'example' });
  }

  ofSchema(located: Located<JsonObject>): void {
    const { value } = located;
    for (const key of ['example', 'default', 'x-example'])
      if (Object.hasOwn(value, key)) this.#check(value[key]!, located, 'either', { located, key });
    if (this.api.version === '3.1' && Array.isArray(value.examples))
      for (const [index, each] of value.examples.entries())
        this.#check(each, located, 'either', {
          located: { value: value.examples, document: located.document },
          key: index,
        });
  }

  #check(value: Json, schema: Located, direction: Direction, place: DefinitionPlace): void {
    if (isObject(value)) {
      // The same example of several operations is told once.
      if (this.#seen.has(value)) return;
      this.#seen.add(value);
    }
    if (fitsPlainly(value, schema.value)) return;
    const what = place.key === 'default' ? 'This default' : 'This example';
    let errors: readonly ErrorObject[];
    try {
      errors = this.#errors(value, schema, direction);
    } catch (error) {
      if (!(error instanceof TimeLimitError)) throw error;
      this.report(
        'definition-example',
        place,
        `${what} cannot be compared with its schema within ${timeouts.each / 1000} s.`,
        'Most likely a pattern of the schema takes time without end for some texts.',
      );
      return;
    }
    if (errors.length === 0) return;
    const [first, ...more] = differencesIn(errors, value, '$');
    if (!first) return;
    const rest = more.length === 0 ? '' : ` (and ${more.length} more)`;
    this.report(
      'definition-example',
      place,
      `${what} does not fit its schema. ${first.at === '$' ? 'Expected' : `At ${first.at} expected`} ${first.expected}, found ${cut(first.found, 120)}${rest}.`,
    );
  }

  #errors(value: Json, schema: Located, direction: Direction): readonly ErrorObject[] {
    const set = this.#sets.get(direction) ?? new SchemaSet(this.api.version, this.api.documents, direction);
    this.#sets.set(direction, set);
    const check = set.check(schema);
    try {
      return this.limited(() => check(value));
    } catch (error) {
      // A schema that comes to itself without end, or refers to nothing, is told by a rule of its own.
      if (error instanceof RangeError || error instanceof SchemaUnusable) return [];
      throw error;
    }
  }
}

function placeOf({ holder, key }: ApiExample): DefinitionPlace {
  return { located: holder, key };
}

function isObject(value: Json): value is JsonObject | Json[] {
  return typeof value === 'object' && value !== null;
}

/** What a text or a number can be looked at for without a validator. */
const plain: ReadonlySet<string> = new Set([
  'type',
  'enum',
  'minimum',
  'maximum',
  'minLength',
  'maxLength',
  'format',
]);
/** Keywords that say nothing of a value. */
const silent: ReadonlySet<string> = new Set([
  ...[
    'title',
    'description',
    'example',
    'examples',
    'default',
    'deprecated',
    'readOnly',
    'writeOnly',
    'nullable',
  ],
  ...[
    'externalDocs',
    'xml',
    'items',
    'properties',
    'required',
    'name',
    'in',
    'collectionFormat',
    'allowEmptyValue',
  ],
]);
const numeric: ReadonlySet<Json> = new Set(['int32', 'int64', 'float', 'double']);

/** Most examples are texts and numbers of schemas that want little more: no validator need be made for those. */
function fitsPlainly(value: Json, schema: Json): boolean {
  if (!isJsonObject(schema) || isObject(value) || typeof schema.type !== 'string') return false;
  for (const keyword of Object.keys(schema))
    if (!plain.has(keyword) && !silent.has(keyword) && !keyword.startsWith('x-')) return false;
  const { type, format, enum: words, minimum, maximum, minLength, maxLength } = schema;
  if (words !== undefined && !(Array.isArray(words) && words.includes(value))) return false;
  if (typeof value === 'string')
    return (
      type === 'string' &&
      (format === undefined || format === 'password' || format === 'binary') &&
      (minLength === undefined || value.length >= Number(minLength)) &&
      (maxLength === undefined || value.length <= Number(maxLength))
    );
  if (typeof value !== 'number') return typeof value === type && format === undefined;
  return (
    (type === 'number' || (type === 'integer' && Number.isInteger(value))) &&
    (format === undefined || (numeric.has(format) && Math.abs(value) < 2 ** 31)) &&
    (minimum === undefined || value >= Number(minimum)) &&
    (maximum === undefined || value <= Number(maximum)) &&
    schema.exclusiveMinimum === undefined
  );
}
