import type { ErrorObject } from 'ajv';
import { inWords } from '../../text/words.ts';
import type { Difference } from '../difference.ts';
import { expectationOf } from './schema-words.ts';

const choosing: ReadonlySet<string> = new Set(['anyOf', 'oneOf', 'contains']);

/** Of several ways that a value could have fitted, what is told is that none did. */
export function differencesIn(errors: readonly ErrorObject[], data: unknown, begin: string): Difference[] {
  const insideOf = innerErrors(errors);
  const inner = new Set([...insideOf.values()].flat());
  const haveValues = placesOfValues(errors);
  const told = errors.filter(
    each =>
      each.keyword !== 'if' &&
      // What is wrong with the name of a member is told as that.
      each.propertyName === undefined &&
      !inner.has(each) &&
      !(each.keyword === 'type' && haveValues.get(each.parentSchema)?.has(each.instancePath)),
  );
  return eachPartOnce(told.map(error => expectationOf(error, insideOf.get(error) ?? [], data, begin)));
}

/** Parts of which an error says which values they may have, so that their type goes without saying; by schema. */
function placesOfValues(errors: readonly ErrorObject[]): Map<unknown, Set<string>> {
  const places = new Map<unknown, Set<string>>();
  for (const { keyword, parentSchema, instancePath } of errors)
    if (keyword === 'enum' || keyword === 'const')
      places.set(parentSchema, (places.get(parentSchema) ?? new Set()).add(instancePath));
  return places;
}

/**
 * What kept each of several forms from fitting: the package tells it right before the choice itself. Of a form that is
 * referred to, the way in the schema begins anew, so what stands beside the choice is told apart by where that stands.
 */
function innerErrors(errors: readonly ErrorObject[]): Map<ErrorObject, ErrorObject[]> {
  const inside = new Map<ErrorObject, ErrorObject[]>();
  for (const [index, choice] of errors.entries()) {
    if (!choosing.has(choice.keyword)) continue;
    const found: ErrorObject[] = [];
    for (let at = index - 1; at >= 0; at--) {
      const each = errors[at]!;
      if (!isBelow(each.instancePath, choice.instancePath) || standsBeside(each, choice)) break;
      found.unshift(each);
    }
    inside.set(choice, found);
  }
  return inside;
}

function isBelow(path: string, above: string): boolean {
  return path === above || path.startsWith(`${above}/`);
}

/** Whether an error is of the schema that the choice stands in, or of another part of what that is made of. */
function standsBeside(error: ErrorObject, choice: ErrorObject): boolean {
  if (error.schemaPath.startsWith(`${choice.schemaPath}/`)) return false;
  if (error.parentSchema !== undefined && error.parentSchema === choice.parentSchema) return true;
  const own = choice.schemaPath.replace(/\/[^/]*$/, '');
  const around = /^.*\/allOf(?=\/\d+\/)/.exec(choice.schemaPath)?.[0] ?? `${own}/allOf`;
  return error.schemaPath.startsWith(`${around}/`) || error.schemaPath.startsWith(`${own}/allOf/`);
}

/** A part that does not fit in several ways is told once, with all that is wanted of it. */
function eachPartOnce(differences: readonly Difference[]): Difference[] {
  const parts = new Map<string, { first: Difference; expected: Set<string> }>();
  for (const each of differences) {
    const key = JSON.stringify([each.at, each.found]);
    const part = parts.get(key);
    if (part) part.expected.add(each.expected);
    else parts.set(key, { first: each, expected: new Set([each.expected]) });
  }
  return [...parts.values()].map(({ first, expected }) => ({ ...first, expected: inWords([...expected]) }));
}
