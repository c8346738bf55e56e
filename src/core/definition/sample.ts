import type { DocumentSet, Located } from './document/document-set.ts';
import { Unresolved } from './document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member, members, textOf } from './document/json.ts';
import { patternOf } from './schemas/convert-schema.ts';

/** So many members are written where none has to be there. */
const mostOptional = 4;

/** How deep a value is made, and of how many schemas. */
const deepest = 6;
const mostSchemas = 1000;

/** A value that a schema gives itself: an example, a default, the only one that there is. */
export function givenValue({ value: schema, document }: Located): Json | undefined {
  if (!isJsonObject(schema)) return undefined;
  for (const keyword of ['example', 'x-example', 'const', 'default'])
    if (Object.hasOwn(schema, keyword)) return document.exact(schema, keyword);
  for (const keyword of ['examples', 'enum']) {
    const list = member(schema, keyword);
    if (Array.isArray(list) && list.length > 0) return document.exact(list, 0);
  }
  return undefined;
}

interface SampleChoices {
  /** Members that belong to the other direction. */
  readonly skips?: 'readOnly' | 'writeOnly';
  /** Schemas that the value is a part of. */
  readonly around?: readonly Json[];
  readonly count?: { looked: number };
}

/** A plausible value that fits a schema, as a request would send it. */
export function sampleOf(
  documents: DocumentSet,
  located: Located,
  { skips = 'readOnly', around = [], count = { looked: 0 } }: SampleChoices = {},
): Json | undefined {
  const target = documents.resolve(located);
  if (target instanceof Unresolved || !isJsonObject(target.value)) return undefined;
  const { value, document } = target;
  if (around.includes(value) || around.length > deepest || ++count.looked > mostSchemas) return undefined;
  const given = givenValue(located) ?? givenValue(target);
  if (given !== undefined) return given;
  const inner = (each: Json) =>
    sampleOf(documents, { value: each, document }, { skips, around: [...around, value], count });
  const all = member(value, 'allOf');
  if (Array.isArray(all))
    return merged([...all.map(inner), ownSample(value, inner, skips, documents, document, around.length)]);
  for (const keyword of ['oneOf', 'anyOf']) {
    const forms = member(value, keyword);
    if (!Array.isArray(forms)) continue;
    const form = forms.find(each => textOf(member(each, 'type')) !== 'null') ?? forms[0]!;
    const sample = merged([ownSample(value, inner, skips, documents, document, around.length), inner(form)]);
    return withDiscriminator(sample, value, form);
  }
  return ownSample(value, inner, skips, documents, document, around.length);
}

function merged(samples: readonly (Json | undefined)[]): Json | undefined {
  const objects = samples.filter(isJsonObject);
  if (objects.length > 0) return Object.assign({}, ...objects) as JsonObject;
  return samples.find(each => each !== undefined);
}

/** The form that was chosen, named where its member says which one it is. */
function withDiscriminator(sample: Json | undefined, schema: JsonObject, form: Json): Json | undefined {
  const name = textOf(member(schema.discriminator, 'propertyName'));
  const reference = textOf(member(form, '$ref'));
  if (name === undefined || reference === undefined || !isJsonObject(sample)) return sample;
  const mapped = members(member(schema.discriminator, 'mapping')).find(([, each]) => each === reference);
  return { ...sample, [name]: mapped?.[0] ?? reference.replace(/^.*\//, '') };
}

function ownSample(
  schema: JsonObject,
  inner: (each: Json) => Json | undefined,
  skips: 'readOnly' | 'writeOnly',
  documents: DocumentSet,
  document: Located['document'],
  depth: number,
): Json | undefined {
  const type = [schema.type].flat().find(each => typeof each === 'string' && each !== 'null');
  if (type === 'object' || (type === undefined && isJsonObject(schema.properties))) {
    const object: JsonObject = {};
    const required = new Set(Array.isArray(schema.required) ? schema.required : []);
    for (const [name, each] of members(schema.properties)) {
      // What may be left out is written where the definition shows what it looks like, or wants nothing at all.
      const isWanted =
        required.has(name) ||
        (givenValue({ value: each, document }) ?? '') !== '' ||
        (required.size === 0 && depth < 2);
      if (!isWanted || (name.startsWith('_') && !required.has(name))) continue;
      if (required.size === 0 && Object.keys(object).length >= mostOptional) break;
      const target = documents.resolve({ value: each, document });
      const resolved = target instanceof Unresolved ? each : target.value;
      const isSkipped = [each, resolved].some(
        part => member(part, skips) === true || member(part, 'deprecated') === true,
      );
      const sample = isSkipped ? undefined : (inner(each) ?? (isAnything(resolved) ? 'text' : undefined));
      if (sample !== undefined)
        Object.defineProperty(object, name, {
          value: sample,
          enumerable: true,
          writable: true,
          configurable: true,
        });
    }
    return object;
  }
  if (type === 'array' || (type === undefined && schema.items !== undefined)) {
    const item = schema.items === undefined ? undefined : inner(schema.items);
    const count = Math.min(3, Math.max(1, Number(schema.minItems ?? 1)));
    return item === undefined ? [] : Array.from({ length: count }, () => item);
  }
  if (type === 'integer' || type === 'number') return sampleNumber(schema, type === 'integer');
  if (type === 'boolean') return true;
  if (type === 'string' || schema.format !== undefined || schema.pattern !== undefined)
    return sampleText(schema);
  return undefined;
}

/** Whether a schema says of no kind that it does not fit. */
function isAnything(schema: Json): boolean {
  const ofKinds = /^(?:type|properties|items|allOf|anyOf|oneOf|not|enum|const|format|pattern|\$ref)$/;
  return schema === true || (isJsonObject(schema) && !Object.keys(schema).some(each => ofKinds.test(each)));
}

function sampleNumber(schema: JsonObject, whole: boolean): number {
  const step = typeof schema.multipleOf === 'number' ? schema.multipleOf : whole ? 1 : 0.5;
  const exclusive = typeof schema.exclusiveMinimum === 'number' ? schema.exclusiveMinimum + step : undefined;
  const raised = schema.exclusiveMinimum === true ? Number(schema.minimum) + step : undefined;
  const least = exclusive ?? raised ?? (typeof schema.minimum === 'number' ? schema.minimum : undefined);
  const most = typeof schema.maximum === 'number' ? schema.maximum : undefined;
  const usual = typeof schema.multipleOf === 'number' ? schema.multipleOf : 1;
  if (least !== undefined && least > usual) return least;
  return most !== undefined && most < usual ? most : Math.max(usual, least ?? usual);
}

const byFormat: ReadonlyMap<string, string> = new Map([
  ['date', '2026-11-25'],
  ['date-time', '2026-11-25T09:00:00Z'],
  ['time', '09:00:00Z'],
  ['duration', 'P1D'],
  ['email', 'office@skerry.example'],
  ['hostname', 'skerry.example'],
  ['uri', 'https://skerry.example/'],
  ['url', 'https://skerry.example/'],
  ['uri-reference', '/'],
  ['ipv4', '192.0.2.1'],
  ['ipv6', '2001:db8::1'],
  ['uuid', '7b0c1d52-8c1f-4d0e-9a53-0c5f3a1e2b44'],
  ['byte', 'bWVydm9r'],
  ['password', 'to-be-filled-in'],
]);

function sampleText(schema: JsonObject): string {
  const known = typeof schema.format === 'string' ? byFormat.get(schema.format) : undefined;
  if (known !== undefined) return known;
  const pattern = textOf(schema.pattern);
  const made = pattern === undefined ? 'text' : (sampleOfPattern(pattern) ?? 'text');
  const least = typeof schema.minLength === 'number' ? Math.min(schema.minLength, 200) : 0;
  const most = typeof schema.maxLength === 'number' ? schema.maxLength : made.length;
  return pattern === undefined ? made.padEnd(least, 'x').slice(0, Math.max(most, least)) : made;
}

/** A text that fits a simple pattern: letters, classes and how often they come. Nothing where it is not that simple. */
export function sampleOfPattern(pattern: string): string | undefined {
  const regExp = patternOf(pattern);
  if (!regExp) return undefined;
  const body = pattern.replace(/^\^/, '').replace(/\$$/, '');
  let text = '';
  const part = /(\\.|\[(?:\\.|[^\]\\])+\]|[^\\[\](){}*+?|^$])(\{(\d+)(?:,\d*)?\}|[*+?])?/gy;
  for (let at = 0; at < body.length; at = part.lastIndex) {
    part.lastIndex = at;
    const match = part.exec(body);
    if (!match) return undefined;
    const [, unit = '', quantifier = '', least = ''] = match;
    const count = quantifier === '' || quantifier === '+' ? 1 : least === '' ? 0 : Number(least);
    text += characterOf(unit).repeat(Math.min(count, 100));
  }
  return regExp.test(text) ? text : undefined;
}

function characterOf(unit: string): string {
  if (unit === '\\d') return '1';
  if (unit === '\\w' || unit === '.') return 'a';
  if (unit === '\\s') return ' ';
  if (unit.startsWith('\\')) return unit.slice(1);
  if (!unit.startsWith('[')) return unit;
  const first = unit.slice(1);
  return first.startsWith('^') ? 'a' : characterOf(first.startsWith('\\') ? first.slice(0, 2) : first[0]!);
}
