import type { ApiDefinition } from '../api.ts';
import { type Located, Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member } from '../document/json.ts';
import { eachSchema } from './each-schema.ts';
import type { Rule } from './rule.ts';

/** Schemas that want themselves as a part, without end: no value can fit. */
export const circlesRule: Rule = (api, report) => {
  const schemas = new Schemas(api);
  const all: Located<JsonObject>[] = [];
  eachSchema(api, located => {
    if (typeof located.value.$ref !== 'string') all.push(located);
  });
  const fillable = schemas.fillable(all);
  // What only holds it is told with it.
  for (const located of all.filter(({ value }) => !fillable.has(value)).slice(0, most))
    if (schemas.holdsItself(located, fillable))
      report(
        'definition-circle',
        { located },
        'No value can fit this schema: it wants itself as a part of itself, without end.',
        'Let a member on the way be left out, or be null.',
      );
};

/** So many are looked at; of a definition that has more of them these are enough. */
const most = 200;

class Schemas {
  constructor(readonly api: ApiDefinition) {}

  /** Those that some value can fit: what wants nothing, and then whatever wants only what can be filled. */
  fillable(all: readonly Located[]): ReadonlySet<Json> {
    const fillable = new Set<Json>();
    const users = new Map<Json, Located[]>();
    const waiting: Located[] = [...all];
    const seen = new Set<Json>(all.map(({ value }) => value));
    for (const located of waiting) {
      const parts = this.#parts(located);
      // Most want nothing.
      if (parts.length === 0) fillable.add(located.value);
      for (const part of parts) {
        const known = users.get(part.value);
        if (known) known.push(located);
        else users.set(part.value, [located]);
        if (!seen.has(part.value)) {
          seen.add(part.value);
          waiting.push(part);
        }
      }
    }
    for (const first of waiting.toReversed()) {
      const open = [first];
      for (;;) {
        const located = open.pop();
        if (!located) break;
        if (fillable.has(located.value) || !this.#canBeFilled(located, fillable)) continue;
        fillable.add(located.value);
        open.push(...(users.get(located.value) ?? []));
      }
    }
    return fillable;
  }

  #canBeFilled({ value, document }: Located, fillable: ReadonlySet<Json>): boolean {
    if (!isJsonObject(value) || mayBeNull(value)) return true;
    const isFilled = (each: Json) => {
      const target = this.#resolve({ value: each, document });
      return !target || fillable.has(target.value);
    };
    return (
      neededParts(value).every(isFilled) &&
      ['anyOf', 'oneOf'].every(each => listOf(value, each).length === 0 || listOf(value, each).some(isFilled))
    );
  }

  /** Whether a schema comes to itself by what it wants to be there, and cannot be filled. */
  holdsItself(sought: Located, fillable: ReadonlySet<Json>): boolean {
    const seen = new Set<Json>();
    const open = [sought];
    for (;;) {
      const located = open.pop();
      if (!located) return false;
      for (const part of this.#parts(located)) {
        if (part.value === sought.value) return true;
        if (seen.has(part.value) || fillable.has(part.value)) continue;
        seen.add(part.value);
        open.push(part);
      }
    }
  }

  #parts({ value, document }: Located): Located[] {
    return partsOf(value).flatMap(each => this.#resolve({ value: each, document }) ?? []);
  }

  #resolve(located: Located): Located | undefined {
    const target = this.api.documents.resolve(located);
    return target instanceof Unresolved || !isJsonObject(target.value) ? undefined : target;
  }
}

function mayBeNull({ nullable, type }: JsonObject): boolean {
  return nullable === true || (Array.isArray(type) && type.includes('null'));
}

function listOf(value: Json, keyword: string): Json[] {
  const list = member(value, keyword);
  return Array.isArray(list) ? [...list] : [];
}

/** What has to be there, all of it. */
function neededParts(value: JsonObject): Json[] {
  const { required, properties, minItems, items } = value;
  const needed = listOf(value, 'allOf');
  if (Array.isArray(required) && isJsonObject(properties))
    for (const name of new Set(required))
      if (typeof name === 'string' && Object.hasOwn(properties, name)) needed.push(properties[name]!);
  if (typeof minItems === 'number' && minItems > 0 && items !== undefined) needed.push(items);
  return needed;
}

function partsOf(value: Json): Json[] {
  if (!isJsonObject(value)) return [];
  return [...neededParts(value), ...listOf(value, 'anyOf'), ...listOf(value, 'oneOf')];
}
