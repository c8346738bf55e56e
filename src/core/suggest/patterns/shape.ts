import { isOfType } from '../../language/types.ts';
import { isObject, type Value } from '../../model/value.ts';
import { partPath } from '../../replay/changes/json-changes.ts';
import { mask } from '../../secrecy/masker.ts';
import type { DocumentPart } from '../../values/document-parts.ts';
import { isInteger, isNumeric } from '../../values/number.ts';
import type { Candidate } from '../candidate.ts';
import { textLiteral } from '../literal.ts';
import { charactersOf, listsOf, numberIn, scalarsOf } from '../places.ts';
import type { Subject } from '../subject.ts';
import { isWhole } from '../words.ts';
import type { Pattern } from './pattern.ts';
import { ledBy } from './values.ts';

/** Members and their kinds: of the document, or of what all items of a list share. */
export const shape: Pattern = {
  name: 'shape',
  *find(subject) {
    if (subject.json) yield* shapesOf(subject.json, subject);
  },
};

/** In XML all are texts: which of them are numbers, and that none is empty. */
export const content: Pattern = {
  name: 'content',
  *find(subject) {
    if (subject.xml) yield* contentOf(subject);
  },
};

function* shapesOf(part: DocumentPart, subject: Subject): Generator<Candidate> {
  const objects = part.values.flat();
  const path = partPath(part.way);
  if (objects.length > 0 && objects.every(isObject)) {
    const members = membersOf(part, subject, 0);
    if (members.length > 0) {
      const led = part.isRepeated ? `each ${path}` : path;
      const reason = part.isRepeated ? 'what all of them have' : 'what it is made of';
      yield { text: `${led} includes { ${members.join(', ')} }`, reason };
    }
  } else if (part.way.at(-1) === undefined && part.way.length > 0) {
    const kind = kindOfPart(part, subject);
    if (kind !== undefined) yield { text: `each ${path} is ${kind}`, reason: 'all of them are' };
  }
  for (const inner of listsIn(part)) yield* shapesOf(inner, subject);
}

/** The items of the lists in an object; what is in other objects is written with those. */
function* listsIn(part: DocumentPart): Generator<DocumentPart> {
  if (part.items) yield part.items;
  else for (const member of part.members.values()) yield* listsIn(member);
}

/** In one check: deeper, and more of them, nobody would read. */
const [deepest, mostMembers] = [3, 40];

function membersOf(part: DocumentPart, subject: Subject, depth: number): string[] {
  const holders = part.values.flat().length;
  return [...part.members].slice(0, mostMembers).flatMap(([name, member]) => {
    const isAlways = member.values.flat().length === holders;
    const isData = /^\d|[\p{Cc}{}\\]/u.test(name);
    if (!isAlways || isData) return [];
    const kind = memberKind(member, subject, depth + 1);
    return kind === undefined ? [] : [`${textLiteral(name)}: ${kind}`];
  });
}

function memberKind(part: DocumentPart, subject: Subject, depth: number): string | undefined {
  const values = part.values.flat();
  if (!values.every(isObject) || depth > deepest) return kindOfPart(part, subject);
  const members = membersOf(part, subject, depth);
  return members.length === 0 ? 'object' : `{ ${members.join(', ')} }`;
}

/** The kind of what stands there, with null where it may be null; nothing where that is not known. */
function kindOfPart(part: DocumentPart, subject: Subject): string | undefined {
  const values = part.values.flat();
  // What is masked on record may have been of any kind.
  if (values.some(value => typeof value === 'string' && value.includes(mask))) return undefined;
  const { described } = subject;
  const known = described?.part(part.way);
  const there = values.filter(value => value !== null);
  const kinds = new Set(there.map(value => kindOf(value, part.name ?? '', known?.types)));
  // Of what is null each time, the definition may know what else it can be.
  if (there.length === 0) return describedKinds(known?.types);
  if (kinds.size !== 1) return undefined;
  const [own] = kinds;
  const kind = isText(own!) ? narrower(there as string[]) : own;
  const mayBeNull = there.length < values.length || known?.types?.has('null') === true;
  return mayBeNull ? `${kind} or null` : kind;
}

const kindWords: ReadonlyMap<string, string> = new Map([
  ['string', 'text'],
  ['number', 'number'],
  ['integer', 'integer'],
  ['boolean', 'boolean'],
  ['array', 'list'],
  ['object', 'object'],
  ['null', 'null'],
]);

function describedKinds(types: ReadonlySet<string> | undefined): string | undefined {
  if (!types || types.size < 2) return undefined;
  const kinds = [...types].map(type => kindWords.get(type));
  return kinds.includes(undefined) ? undefined : kinds.sort(kind => (kind === 'null' ? 1 : -1)).join(' or ');
}

function isText(kind: string): boolean {
  return kind === 'text';
}

function kindOf(value: Value, name: string, types: ReadonlySet<string> | undefined): string {
  if (typeof value === 'string') return 'text';
  if (typeof value === 'boolean') return 'boolean';
  if (Array.isArray(value)) return 'list';
  if (!isNumeric(value)) return 'object';
  if (types) return types.has('integer') && !types.has('number') ? 'integer' : 'number';
  // A price may just be a round one.
  return isInteger(value) && isWhole(name) ? 'integer' : 'number';
}

/** A kind of text that all of them are. */
function narrower(texts: readonly string[]): string {
  const kinds = ['uuid', 'timestamp', 'date', 'email', 'url'] as const;
  return kinds.find(kind => texts.every(text => isOfType(text, kind))) ?? 'text';
}

function* contentOf(subject: Subject): Generator<Candidate> {
  for (const place of scalarsOf(subject)) {
    const values = place.all;
    if (values.every(value => numberIn(value) !== undefined))
      yield { text: `${ledBy(place)} is number`, reason: 'a number' };
    else if (values.every(value => charactersOf(value).trim() !== ''))
      yield { text: `${ledBy(place)} is not empty`, reason: 'a text' };
    else yield { text: `${ledBy(place)} exists`, reason: 'it is there' };
  }
  for (const { path } of listsOf(subject)) yield { text: `count ${path} > 0`, reason: 'there are some' };
}
