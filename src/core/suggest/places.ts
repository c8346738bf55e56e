import type { DescribedPart } from '../definition/described-part.ts';
import { isObject, Plain, type Value } from '../model/value.ts';
import { partPath } from '../replay/changes/json-changes.ts';
import type { DocumentPart } from '../values/document-parts.ts';
import { isNumeric, numberText } from '../values/number.ts';
import { textOf } from '../values/text.ts';
import type { Subject } from './subject.ts';

/** Where scalars stand in all answers: a member of a JSON document, an element or an attribute of an XML document. */
export interface ScalarPlace {
  /** As a check writes it: `$.berths[*].code`, `xml/tides/@quay`. */
  readonly path: string;
  readonly name: string;
  /** By answer, in order; in each there is one at least. */
  readonly values: readonly (readonly Value[])[];
  /** Of all answers. */
  readonly all: readonly Value[];
  /** Whether there may be several in one answer, so that a check has to say which it means. */
  readonly isRepeated: boolean;
  /** What holds it, so that members of one object are known for that. */
  readonly parent: string;
  readonly described: DescribedPart | undefined;
}

/** Where lists stand in all answers. */
export interface ListPlace {
  readonly path: string;
  /** Of its items. */
  readonly items: string;
  readonly name: string;
  /** By answer: how many items there are in each of these lists. */
  readonly lengths: readonly (readonly number[])[];
  readonly isRepeated: boolean;
}

/** So many places are looked at; what is beyond them is looked at by nobody either. */
const mostPlaces = 500;

/** Every pattern asks for them. */
const found = new WeakMap<Subject, readonly ScalarPlace[]>();

export function scalarsOf(subject: Subject): readonly ScalarPlace[] {
  let places = found.get(subject);
  if (!places) {
    const all = [...jsonScalars(subject), ...xmlScalars(subject)].slice(0, mostPlaces);
    places = all.filter(({ all: values }) => !values.some(value => isHidden(value, subject)));
    found.set(subject, places);
  }
  return places;
}

/** Whether nobody may see a value; in a record it is masked. */
export function isHidden(value: Value, { holdsSecret }: Subject): boolean {
  const text = isObject(value) || Array.isArray(value) ? '' : charactersOf(value);
  return text !== '' && holdsSecret(text);
}

function jsonScalars({ json, described }: Subject): ScalarPlace[] {
  const places: ScalarPlace[] = [];
  for (const part of json?.all() ?? []) {
    const { values, way, name, isRepeated } = part;
    if (
      name === undefined ||
      !isWritable(part) ||
      !values.every(own => own.length > 0 && own.every(isScalar))
    )
      continue;
    places.push({
      path: partPath(way),
      name,
      values,
      all: values.flat(),
      isRepeated,
      parent: partPath(way.slice(0, -1)),
      described: described?.part(way),
    });
  }
  return places;
}

/** Names that would have to be escaped twice are left alone. */
function isWritable({ way }: DocumentPart): boolean {
  return way.every(step => step === undefined || !/[{}'"\\\p{Cc}]/u.test(step));
}

function isScalar(value: Value): boolean {
  return !Array.isArray(value) && !isObject(value);
}

function xmlScalars({ xml }: Subject): ScalarPlace[] {
  return [...(xml?.all() ?? [])].flatMap(part => {
    if (part.hasElements || part.isOptional || part.values.some(own => own.length === 0)) return [];
    const values = part.values.map(own => own.map(text => new Plain(text)));
    const parent = part.parent!.path;
    const name = part.name.replace('@', '');
    const { path, isRepeated } = part;
    return [{ path, name, values, all: values.flat(), isRepeated, parent, described: undefined }];
  });
}

export function listsOf({ json, xml }: Subject): ListPlace[] {
  const inJson = [...(json?.all() ?? [])].flatMap(part => {
    if (!isWritable(part) || !part.values.every(own => own.length > 0 && own.every(Array.isArray))) return [];
    const lengths = part.values.map(own => own.map(list => (list as Value[]).length));
    const path = partPath(part.way);
    return [{ path, items: `${path}[*]`, name: part.name ?? '', lengths, isRepeated: part.isRepeated }];
  });
  const inXml = [...(xml?.all() ?? [])].flatMap(part => {
    if (!part.isList || part.parent!.isRepeated) return [];
    const lengths = part.values.map(own => [own.length]);
    return [{ path: part.path, items: part.path, name: part.name, lengths, isRepeated: false }];
  });
  return [...inJson, ...inXml];
}

/** A scalar by its characters: what is written alike is alike. */
export function charactersOf(value: Value): string {
  return isNumeric(value) ? numberText(value) : (textOf(value) ?? String(value));
}

/** What stands there as a number; nothing where it is none. */
export function numberIn(value: Value | undefined): number | undefined {
  if (value === undefined || typeof value === 'boolean' || value === null) return undefined;
  if (typeof value === 'string') return undefined;
  const text = charactersOf(value).trim();
  return /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text) ? Number(text) : undefined;
}

export function isVaried(values: Iterable<Value>): boolean {
  let first: string | undefined;
  for (const value of values) {
    first ??= charactersOf(value);
    if (charactersOf(value) !== first) return true;
  }
  return false;
}
