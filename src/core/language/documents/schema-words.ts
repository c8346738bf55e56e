import type { ErrorObject } from 'ajv';
import type { Value } from '../../model/value.ts';
import { withoutPrototype } from '../../text/without-prototype.ts';
import { describe } from '../../values/describe.ts';
import type { Difference } from '../difference.ts';
import { pathStep } from '../jsonpath/match.ts';

/**
 * What a schema wanted and did not get, in words.
 * @param inside what kept each of several forms from fitting, for anyOf and oneOf
 */
export function expectationOf(
  error: ErrorObject,
  inside: readonly ErrorObject[],
  data: unknown,
  begin: string,
): Difference {
  const { at, value } = locate(error.instancePath, data, begin);
  const found = describe(value as Value);
  const { keyword, params } = error;
  switch (keyword) {
    case 'required':
    case 'dependentRequired':
    case 'dependencies': {
      const names = Object.keys(value as object);
      return {
        at,
        expected: `a member '${params.missingProperty}'`,
        found:
          names.length === 0
            ? 'an object without members'
            : `an object with ${names.slice(0, 12).join(', ')}`,
      };
    }
    case 'additionalProperties':
    case 'unevaluatedProperties': {
      const name = String(params.additionalProperty ?? params.unevaluatedProperty);
      const extra = (value as { [name: string]: Value })[name]!;
      return {
        at: at + pathStep(name),
        expected: 'nothing: no such member is allowed',
        found: describe(extra),
      };
    }
    case 'propertyNames':
      return { at, expected: 'members with other names', found: `a member '${params.propertyName}'` };
    case 'uniqueItems':
      return { at, expected: 'items that differ', found: `[${params.j}] and [${params.i}] are equal` };
    case 'anyOf':
    case 'oneOf':
      return { at, expected: choiceInWords(error, inside), found };
    default:
      return { at, expected: wanted(error), found };
  }
}

function wanted({ keyword, params, schema, message }: ErrorObject): string {
  const limit = params.limit as number;
  switch (keyword) {
    case 'type':
      return [params.type].flat().map(withArticle).join(' or ');
    case 'const':
      return describe(params.allowedValue);
    case 'enum':
      return `one of ${(params.allowedValues as Value[]).map(describe).join(', ')}`;
    case 'format':
      return `a text of the format ${params.format}`;
    case 'pattern':
      return `a text that matches /${params.pattern}/`;
    case 'minimum':
      return `at least ${limit}`;
    case 'maximum':
      return `at most ${limit}`;
    case 'exclusiveMinimum':
      return `more than ${limit}`;
    case 'exclusiveMaximum':
      return `less than ${limit}`;
    case 'multipleOf':
      return `a multiple of ${params.multipleOf}`;
    case 'minLength':
      return `at least ${counted(limit, 'character')}`;
    case 'maxLength':
      return `at most ${counted(limit, 'character')}`;
    case 'minItems':
    case 'items':
    case 'additionalItems':
    case 'unevaluatedItems':
      return keyword === 'minItems'
        ? `at least ${counted(limit, 'item')}`
        : `no more than ${counted(params.limit ?? params.len ?? 0, 'item')}`;
    case 'maxItems':
      return `at most ${counted(limit, 'item')}`;
    case 'minProperties':
      return `at least ${counted(limit, 'member')}`;
    case 'maxProperties':
      return `at most ${counted(limit, 'member')}`;
    case 'contains':
      return `at least ${counted(params.minContains ?? 1, 'item')} of the wanted form`;
    case 'not':
      return `something that does not fit ${describe(schema as Value)}`;
    case 'false schema':
      return 'nothing';
    default:
      return message ?? keyword;
  }
}

/** `one of 2 forms ($.depth: a number; or $: a member 'length')` */
function choiceInWords(
  { keyword, schema, schemaPath, params }: ErrorObject,
  inside: readonly ErrorObject[],
): string {
  const passing = params.passingSchemas as number[] | null | undefined;
  if (keyword === 'oneOf' && passing)
    return `one form alone, and forms ${passing.map(index => index + 1).join(' and ')} both fit`;
  const forms = (schema as unknown[]).map((_, index) =>
    inside.find(each => each.schemaPath.startsWith(`${schemaPath}/${index}/`)),
  );
  // Of a form that is referred to, the way begins anew, so which one it is cannot be told.
  const referred = inside.find(each => !each.schemaPath.startsWith(`${schemaPath}/`));
  const told = new Set(
    [...forms, referred]
      .filter(each => each !== undefined)
      .map(own => (own.keyword === 'required' ? `a member '${own.params.missingProperty}'` : wanted(own))),
  );
  return `one of ${(schema as unknown[]).length} forms${told.size > 0 ? ` (${[...told].join('; ')})` : ''}`;
}

function counted(count: number, one: string): string {
  return `${count} ${one}${count === 1 ? '' : 's'}`;
}

const articles: { readonly [type: string]: string } = withoutPrototype({
  array: 'a list',
  boolean: 'a boolean',
  integer: 'an integer',
  null: 'null',
  number: 'a number',
  object: 'an object',
  string: 'a text',
});

function withArticle(type: string): string {
  return articles[type] ?? type;
}

/** A JSON Pointer (RFC 6901) as a path, and what stands there. */
function locate(pointer: string, data: unknown, begin: string): { at: string; value: unknown } {
  let [at, value] = [begin, data];
  for (const step of pointer.split('/').slice(1)) {
    const key = step.replaceAll('~1', '/').replaceAll('~0', '~');
    at += pathStep(Array.isArray(value) ? Number(key) : key);
    value = (value as { [name: string]: unknown })[key];
  }
  return { at, value };
}
