import { Exact } from '../model/value.ts';
import type { PartStep } from '../values/document-parts.ts';
import { type DocumentSet, type Located, Unresolved } from './document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member, textOf } from './document/json.ts';

/** What a schema says of one part of the documents that fit it. */
export interface DescribedPart {
  /** Whether it is there in every document; of items, in every one that there is. */
  readonly required: boolean;
  /** In the words of JSON Schema: `string`, `integer`, `null`; nothing where any may stand there. */
  readonly types: ReadonlySet<string> | undefined;
  /** Whether nothing is said of what is in it. */
  readonly isOpen: boolean;
  readonly format: string | undefined;
  /** The only values that there are. */
  readonly values: readonly Scalar[] | undefined;
  /** The limits of a number, themselves included; `above` and `below` are not. */
  readonly minimum?: number;
  readonly maximum?: number;
  readonly above?: number;
  readonly below?: number;
}

export type Scalar = string | number | boolean | null;

/** One way of fitting a schema: schemas that all hold. */
type Form = readonly Located<JsonObject>[];

/** So many ways are looked at; a schema that has more says nothing of its parts. */
const mostForms = 64;
const deepest = 20;

/**
 * What a schema says of a part, through references and combinations; nothing where it does not describe any.
 * @param way names of members; `undefined` stands for the items of a list
 */
export function describedPart(
  documents: DocumentSet,
  schema: Located,
  way: readonly PartStep[],
): DescribedPart | undefined {
  let forms = formsOf(documents, schema, 0);
  let required = true;
  for (const step of way) {
    const inner = forms.map(form => stepInto(form, step));
    const there = inner.filter(each => each.schemas.length > 0);
    if (there.length === 0) return undefined;
    required &&= there.length === inner.length && inner.every(each => each.required);
    forms = there.flatMap(each => together(each.schemas.map(one => formsOf(documents, one, 0))));
    if (forms.length > mostForms) return undefined;
  }
  return {
    required,
    types: unionOf(forms.map(typesOf)),
    isOpen: forms.every(form => form.every(({ value }) => !saysWhatIsIn(value))),
    format: same(forms.map(form => form.map(({ value }) => textOf(member(value, 'format'))).find(Boolean))),
    values: valuesOf(forms),
    ...limitsOf(forms),
  };
}

/** The members that every document has which is sent and fits a schema. */
export function requiredMembers(documents: DocumentSet, schema: Located): string[] {
  const forms = formsOf(documents, schema, 0);
  const isSent = (form: Form, name: string) =>
    !form.some(({ value, document }) => {
      const own = member(member(value, 'properties'), name);
      const target = own === undefined ? undefined : documents.resolve({ value: own, document });
      return target && !(target instanceof Unresolved) && member(target.value, 'readOnly') === true;
    });
  const required = (form: Form) =>
    form.flatMap(({ value }) => {
      const names = member(value, 'required');
      if (!Array.isArray(names)) return [];
      return names.filter(name => typeof name === 'string').filter(name => isSent(form, name));
    });
  const [first = [], ...others] = forms.map(required);
  return [...new Set(first)].filter(name => others.every(each => each.includes(name)));
}

/** Those that each way of fitting it has in common. */
function limitsOf(forms: readonly Form[]): Pick<DescribedPart, 'minimum' | 'maximum' | 'above' | 'below'> {
  const limit = (keyword: string) => {
    const found = forms.map(form =>
      form.map(({ value }) => member(value, keyword)).find(each => each !== undefined),
    );
    const [first] = found;
    return typeof first === 'number' && found.every(each => each === first) ? first : undefined;
  };
  // In OpenAPI 3.0 they are made exclusive by a word of their own.
  const isStrict = (keyword: string) =>
    forms.some(form => form.some(({ value }) => member(value, keyword) === true));
  const [low, high] = [limit('minimum'), limit('maximum')];
  const above = limit('exclusiveMinimum') ?? (isStrict('exclusiveMinimum') ? low : undefined);
  const below = limit('exclusiveMaximum') ?? (isStrict('exclusiveMaximum') ? high : undefined);
  return {
    ...(low !== undefined && low !== above && { minimum: low }),
    ...(high !== undefined && high !== below && { maximum: high }),
    ...(above !== undefined && { above }),
    ...(below !== undefined && { below }),
  };
}

function saysWhatIsIn(schema: JsonObject): boolean {
  return isJsonObject(member(schema, 'properties')) || isJsonObject(member(schema, 'items'));
}

/** The ways of fitting a schema. */
function formsOf(documents: DocumentSet, located: Located, depth: number): Form[] {
  const target = documents.resolve(located);
  if (target instanceof Unresolved || !isJsonObject(target.value) || depth > deepest) return [[]];
  const { value, document } = target;
  const inner = (each: Json) => formsOf(documents, { value: each, document }, depth + 1);
  const listed = (keyword: string) => {
    const list = member(value, keyword);
    return Array.isArray(list) ? list : [];
  };
  const parts: Form[][] = [[[{ value, document }]], ...listed('allOf').map(inner)];
  for (const keyword of ['oneOf', 'anyOf']) {
    const choices = listed(keyword);
    if (choices.length > 0) parts.push(choices.flatMap(inner));
  }
  return together(parts);
}

/** Every way of fitting several schemas at once. */
function together(parts: readonly Form[][]): Form[] {
  let forms: Form[] = [[]];
  for (const choices of parts) {
    if (forms.length * choices.length > mostForms) return [[]];
    forms = forms.flatMap(form => choices.map(choice => [...form, ...choice]));
  }
  return forms;
}

function stepInto(form: Form, step: PartStep): { schemas: Located[]; required: boolean } {
  const schemas = form.flatMap(({ value, document }) => {
    const found = step === undefined ? member(value, 'items') : member(member(value, 'properties'), step);
    return isJsonObject(found) ? [{ value: found, document }] : [];
  });
  const isNamed = form.some(({ value }) => {
    const names = member(value, 'required');
    return step !== undefined && Array.isArray(names) && names.includes(step);
  });
  return { schemas, required: step === undefined || isNamed };
}

function typesOf(form: Form): ReadonlySet<string> | undefined {
  let types: Set<string> | undefined;
  for (const { value } of form) {
    const own = ownTypes(value);
    if (own) types = types ? new Set([...types].filter(type => own.has(type))) : own;
  }
  return types;
}

function ownTypes(schema: JsonObject): Set<string> | undefined {
  const type = member(schema, 'type');
  const named = (Array.isArray(type) ? type : [type]).filter(each => typeof each === 'string');
  if (named.length > 0) return new Set(member(schema, 'nullable') === true ? [...named, 'null'] : named);
  const values = ownValues(schema);
  return values && new Set(values.map(typeOf));
}

function typeOf(value: Scalar): string {
  if (value === null) return 'null';
  return typeof value === 'number' ? (Number.isInteger(value) ? 'integer' : 'number') : typeof value;
}

/** Nothing where one of them says nothing. */
function unionOf(all: readonly (ReadonlySet<string> | undefined)[]): ReadonlySet<string> | undefined {
  return all.includes(undefined) ? undefined : new Set(all.flatMap(types => [...types!]));
}

function ownValues(schema: JsonObject): Scalar[] | undefined {
  const listed = member(schema, 'enum');
  const only = member(schema, 'const');
  const values = Array.isArray(listed) ? listed : only === undefined ? undefined : [only];
  if (!values?.every(each => !Array.isArray(each) && !isJsonObject(each) && !(each instanceof Exact)))
    return undefined;
  return values as Scalar[];
}

function valuesOf(forms: readonly Form[]): Scalar[] | undefined {
  const found = new Set<Scalar>();
  for (const form of forms) {
    const own = form.flatMap(({ value }) => {
      const values = ownValues(value);
      return values ? [values] : [];
    })[0];
    if (!own) return undefined;
    for (const each of own) found.add(each);
  }
  return found.size > 0 ? [...found] : undefined;
}

function same(all: readonly (string | undefined)[]): string | undefined {
  return all.every(each => each === all[0]) ? all[0] : undefined;
}
