import { Exact, isObject, Missing, Plain, Special, type Value } from '../../model/value.ts';
import { TimeLimitError, withinTime } from '../../text/time-limit.ts';
import { withoutPrototype } from '../../text/without-prototype.ts';
import { nearest } from '../../text/words.ts';
import { describe } from '../../values/describe.ts';
import { isNumberText, numberText } from '../../values/number.ts';
import { textOf } from '../../values/text.ts';
import type { Difference } from '../difference.ts';
import { differencesIn } from './schema-differences.ts';

let openValidator: typeof import('./schema-library.ts').openValidator | undefined;

/** Loads what reads JSON Schema. To be awaited before the first `compileSchema`. */
export async function loadSchemas(): Promise<void> {
  openValidator ??= (await import('./schema-library.ts')).openValidator;
}

/** A validator of its own. `loadSchemas()` comes before. */
export function openedValidator(...options: Parameters<NonNullable<typeof openValidator>>) {
  if (!openValidator) throw new TypeError('loadSchemas() comes first.');
  return openValidator(...options);
}

/** Why a document is no JSON Schema that can be used. */
export class SchemaError extends Error {}

/** Everything in which a value does not fit a schema, by its place; nothing where it fits. */
export type Validator = (value: Value, begin: string) => readonly Difference[] | Missing;

/** How long it may take to look at one value, in milliseconds. */
const timeout = 2000;

const dialects: { readonly [uri: string]: '2020-12' | '2019-09' | 'draft-07' } = withoutPrototype({
  'https://json-schema.org/draft/2020-12/schema': '2020-12',
  'https://json-schema.org/draft/2019-09/schema': '2019-09',
  'http://json-schema.org/draft-07/schema': 'draft-07',
});

/**
 * Makes a schema ready; without `$schema` it is one of 2020-12. Throws SchemaError.
 * @param id the URI of its file, to which `$ref` is relative
 * @param others schemas that it may refer to, by the URIs of their files
 */
export function compileSchema(
  schema: Value,
  id = 'file:///schema.json',
  others: ReadonlyMap<string, Value> = new Map(),
): Validator {
  if (!isObject(schema) && typeof schema !== 'boolean')
    throw new SchemaError('a schema is an object, or true or false');
  for (const each of [schema, ...others.values()]) refuseLostDigits(each);
  const slips: string[] = [];
  const listen = (message: unknown) => slips.push(String(message));
  const validator = openedValidator(dialectOf(schema), {
    allErrors: true,
    strict: false,
    strictSchema: 'log',
    ownProperties: true,
    verbose: true,
    multipleOfPrecision: 9,
    logger: { log: listen, warn: listen, error: listen },
  });
  for (const format of formatsIn([schema, ...others.values()])) {
    if (Object.hasOwn(validator.formats, format)) continue;
    const near = nearest(format, Object.keys(validator.formats));
    if (near) throw new SchemaError(`'${format}' is no format that is known. Did you mean '${near}'?`);
    validator.addFormat(format, true);
  }
  let validate: ReturnType<typeof validator.compile>;
  try {
    for (const [uri, other] of others) validator.addSchema(toJson(other) as object, uri);
    validator.addSchema(toJson(schema) as object, id);
    validate = validator.getSchema(id)!;
  } catch (error) {
    throw new SchemaError(reasonOf(error as Error));
  }
  const slip = slipIn(slips, Object.keys(validator.RULES.all));
  if (slip !== undefined) throw new SchemaError(slip);
  return (value, begin) => {
    const data = toJson(value);
    try {
      const fits = withinTime(timeout, 'the comparison with the schema', () => validate(data));
      return fits ? [] : differencesIn(validate.errors ?? [], data, begin);
    } catch (error) {
      if (error instanceof TimeLimitError) return Missing.unreadable(error.message);
      if (error instanceof RangeError)
        return Missing.unreadable('the schema refers to itself without end for this value');
      throw error;
    }
  };
}

/** Keywords whose numbers are compared. */
const comparing = new Set([
  'const',
  'enum',
  'minimum',
  'maximum',
  'exclusiveMinimum',
  'exclusiveMaximum',
  'multipleOf',
]);

/** The package compares doubles: a number that a double does not hold would be equal to another one. */
function refuseLostDigits(value: Value, isCompared = false): void {
  if (isCompared && value instanceof Exact)
    throw new SchemaError(
      `the number ${numberText(value)} has more digits than a schema is compared with; a check compares all of them: $.id = ${numberText(value)}`,
    );
  if (Array.isArray(value)) for (const each of value) refuseLostDigits(each, isCompared);
  else if (isObject(value))
    for (const [name, each] of Object.entries(value))
      refuseLostDigits(each, isCompared || comparing.has(name));
}

function dialectOf(schema: Value) {
  const uri = isObject(schema) ? schema.$schema : undefined;
  if (uri === undefined) return '2020-12';
  const dialect = typeof uri === 'string' ? dialects[uri.replace(/#$/, '')] : undefined;
  if (!dialect)
    throw new SchemaError(
      `'${describe(uri)}' is no dialect that is known; there are ${Object.keys(dialects).join(', ')}`,
    );
  return dialect;
}

/** What is unknown is allowed by JSON Schema, and means nothing; but a slip must not. */
function slipIn(messages: readonly string[], keywords: string[]): string | undefined {
  for (const message of messages) {
    const [, word] = /unknown keyword: "([^"]+)"/.exec(message) ?? [];
    const meant = word !== undefined && nearest(word, [...keywords, 'properties', 'required', 'items']);
    if (meant && meant !== word) return `'${word}' is no keyword of a schema. Did you mean '${meant}'?`;
  }
  return undefined;
}

/** Every format that schemas name; those that nobody knows mean nothing, as JSON Schema has it. */
function formatsIn(schemas: readonly Value[]): Set<string> {
  const found = new Set<string>();
  const visit = (value: Value): void => {
    if (Array.isArray(value)) value.forEach(visit);
    else if (isObject(value)) {
      if (typeof value.format === 'string') found.add(value.format);
      Object.values(value).forEach(visit);
    }
  };
  schemas.forEach(visit);
  return found;
}

function reasonOf({ message }: Error): string {
  const reference = /can't resolve reference (\S+)/.exec(message)?.[1];
  if (reference !== undefined) return `the $ref '${reference}' leads nowhere`;
  return message
    .replace(/^schema is invalid: /, '')
    .split(', ')
    .map(each => each.replace(/^data\/?/, ''))[0]!;
}

/** As the package that reads schemas knows values: numbers are doubles. */
export function toJson(value: Value): unknown {
  if (Array.isArray(value)) return value.map(toJson);
  if (value instanceof Plain) {
    const { text } = value;
    return isNumberText(text) ? Number(text) : text === 'true' || text === 'false' ? text === 'true' : text;
  }
  if (value instanceof Special) return value.kind === 'number' ? Number(textOf(value)) : textOf(value);
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64');
  if (!isObject(value)) return value;
  const object: { [name: string]: unknown } = {};
  // A plain assignment would not make a member of '__proto__'.
  for (const [name, each] of Object.entries(value))
    Object.defineProperty(object, name, {
      value: toJson(each),
      enumerable: true,
      writable: true,
      configurable: true,
    });
  return object;
}
