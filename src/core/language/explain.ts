import { referenceText } from '../template/reference.ts';
import { inWords } from '../text/nearest.ts';
import { cut, describe, outline } from '../values/describe.ts';
import { type Found, Missing, type Value } from '../values/value.ts';
import type { Comparison, Condition, Expression, Predicate, TypeName } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { descend } from './compile-reference.ts';
import { isSingular, type Segment } from './jsonpath/ast.ts';
import { compileSegments, compileSingular, Match } from './jsonpath/evaluate.ts';
import type { Note, Scene } from './scene.ts';
import { Unknown } from './truth.ts';
import { referencesIn, sourcesIn } from './walk.ts';

/** Why a check did not hold, in words that a report can print. */
export interface Explanation {
  readonly expected: string;
  readonly found: string;
  /** The normalized path of the found value. */
  readonly at?: string;
  /** Where the values come from that the check refers to. */
  readonly origins?: readonly { readonly name: string; readonly value: string; readonly origin: string }[];
  /** The part of the response around the found value. */
  readonly nearest?: string;
}

/** Explains a check that does not hold, from what its comparisons saw. `text` is the check as written. */
export function explain(
  condition: Condition,
  notes: readonly Note[],
  text: string,
  scene: Scene,
): Explanation {
  const [first] = notes;
  // What a negation refuses is what holds, so no comparison speaks of it.
  if (!first || condition.type === 'not')
    return { expected: text, found: 'the opposite', ...around(first, scene) };
  const word = condition.type === 'or' ? ', or ' : ', and ';
  const join = (parts: string[], between: string) => [...new Set(parts)].join(between);
  const at = notes.length === 1 ? placeOf(first, scene) : undefined;
  const origins = originsOf(notes, scene);
  return {
    expected: join(
      notes.map(note => expectedOf(note.comparison, scene)),
      word,
    ),
    found: join(notes.map(foundOf), '; '),
    ...(at !== undefined && { at }),
    ...(origins.length > 0 && { origins }),
    ...around(first, scene),
  };
}

/** What stands around a response of which nothing single is to be shown: the document, or the beginning of the body. */
export function nearestPart(scene: Scene): { nearest?: string } {
  return around(undefined, scene);
}

function foundOf(note: Note): string {
  const { found, truth, items } = note;
  if (items && items.total > 0) return foundAmong(note, items);
  if (found instanceof Missing) return items ? found.reason : `nothing: ${found.reason}`;
  const value = describe(found);
  return truth instanceof Unknown ? `${value}, which cannot be decided: ${truth.reason}` : value;
}

/** Under a quantifier: how many items decided, and what the first of them are. */
function foundAmong(
  { comparison: { quantifier } }: Note,
  { deciding, total }: NonNullable<Note['items']>,
): string {
  if (deciding.length === 0) return `none of ${total} does`;
  const clear = deciding.filter(item => !(item.truth instanceof Unknown));
  const unclear = deciding.filter(item => item.truth instanceof Unknown);
  const verb =
    quantifier === 'no' ? (clear.length === 1 ? 'does' : 'do') : clear.length === 1 ? 'does not' : 'do not';
  const parts = [
    ...(clear.length > 0 ? [`${clear.length} of ${total} ${verb}: ${firstOf(clear)}`] : []),
    ...(unclear.length > 0 ? [`${unclear.length} of ${total} cannot be decided: ${firstOf(unclear)}`] : []),
  ];
  return parts.join('; ');
}

function firstOf(items: NonNullable<Note['items']>['deciding']): string {
  const shown = items.slice(0, 3).map(({ value, match, truth }) => {
    if (value instanceof Missing) return value.reason;
    const place = match === undefined || match.path === '$' ? 'it' : match.path;
    return `${place} is ${describe(value)}${truth instanceof Unknown ? ` (${truth.reason})` : ''}`;
  });
  return shown.join(', ') + (items.length > 3 ? `, and ${items.length - 3} more` : '');
}

/** The normalized path of the value that a comparison looked at, where it is a single one in a document. */
function placeOf({ comparison: { subject }, found }: Note, scene: Scene): string | undefined {
  if (found instanceof Missing) return undefined;
  const source = subject.type === 'query' ? subject.of : subject;
  if (source.type !== 'source' || source.form !== 'path') return undefined;
  const document = scene.response?.document;
  if (document === undefined || document instanceof Missing) return undefined;
  const matches = compileSegments(source.path.segments)(new Match(document), document);
  if (isSingular(source.path.segments)) return matches[0]?.path;
  if (subject.type !== 'query') return undefined;
  const at =
    subject.pick === 'first'
      ? 0
      : subject.pick === 'last'
        ? matches.length - 1
        : subject.pick === 'nth'
          ? subject.position! - 1
          : -1;
  return matches[at]?.path;
}

function originsOf(notes: readonly Note[], scene: Scene) {
  const written = new Map(
    notes.flatMap(note => referencesIn(note.comparison)).map(each => [referenceText(each), each]),
  );
  return [...written].flatMap(([name, reference]) => {
    const entry = scene.lookup(reference.name);
    if (!entry) return [];
    const value = descend(entry.value, reference.path, reference.name);
    return [{ name, value: value instanceof Missing ? value.reason : describe(value), origin: entry.origin }];
  });
}

function around(note: Note | undefined, scene: Scene): { nearest?: string } {
  const { response } = scene;
  if (!response || response.received.body.length === 0) return {};
  const { subject } = note?.comparison ?? {};
  const source = note && sourcesIn(note.comparison)[0];
  // Of these, what was found says it all; a list of one's own is no part of the response.
  if (source?.form === 'header' || source?.form === 'body' || subject?.type === 'reference') return {};
  const match = note?.items?.deciding[0]?.match;
  if (match) return { nearest: outline(itemOf(match).value) };
  const { document } = response;
  if (document instanceof Missing) return { nearest: cut(response.text.replace(/\s+/g, ' ').trim()) };
  return { nearest: outline(source?.form === 'path' ? parentOf(source.path.segments, document) : document) };
}

/** Around a match: the object or list that holds it, but not the whole document. */
function itemOf(match: Match): Match {
  return match.parent?.parent ? match.parent : match;
}

/** The deepest part of the document on the way to a path, above its last step. */
function parentOf(segments: readonly Segment[], document: Value): Value {
  const many = segments.findIndex(segment => !isSingular([segment]));
  const way = many < 0 ? segments.slice(0, -1) : segments.slice(0, many);
  for (let length = way.length; length > 0; length--) {
    const found = compileSingular(way.slice(0, length))(document);
    if (!(found instanceof Missing) && typeof found === 'object' && found !== null) return found;
  }
  return document;
}

function describeFound(value: Found): string {
  return value instanceof Missing ? `something that is not there (${value.reason})` : describe(value);
}

const operatorsInWords = {
  '=': '',
  '!=': 'anything but ',
  '<': 'less than ',
  '<=': 'at most ',
  '>': 'more than ',
  '>=': 'at least ',
};

function expectedOf({ quantifier, predicate }: Comparison, scene: Scene): string {
  const what = predicateInWords(predicate, scene);
  return quantifier === undefined ? what : `${quantifier}: ${what}`;
}

function predicateInWords(predicate: Predicate, scene: Scene): string {
  const not = predicate.negated ? 'not ' : '';
  const show = (node: Expression) =>
    node.type === 'pattern'
      ? `/${node.parts.map(part => (typeof part === 'string' ? part.replaceAll('/', '\\/') : `{${part.name}}`)).join('')}/${node.flags}`
      : describeFound(compileExpression(node)(scene));
  switch (predicate.test) {
    case 'compare':
      return (
        operatorsInWords[predicate.operator] +
        show(predicate.value) +
        (predicate.anyOrder ? ' in any order' : '')
      );
    case 'between':
      return `${not}between ${show(predicate.low)} and ${show(predicate.high)}`;
    case 'in':
      return `${not}one of ${predicate.values.map(show).join(', ')}`;
    case 'contains':
      return `${predicate.negated ? 'something that does not contain' : 'something that contains'} ${show(predicate.value)}`;
    case 'starts':
    case 'ends':
      return `a text that ${predicate.negated ? `does not ${predicate.test.slice(0, -1)}` : predicate.test} with ${show(predicate.value)}`;
    case 'matches':
      return `a text that ${predicate.negated ? 'does not match' : 'matches'} ${show(predicate.value)}`;
    case 'is':
      return `${not}${inWords(predicate.types.map(typeInWords), 'or')}`;
    case 'exists':
      return predicate.negated ? 'nothing there' : 'something there';
    case 'sorted-down':
      return `${not}sorted, the largest first`;
    default:
      return not + predicate.test;
  }
}

function typeInWords(type: TypeName): string {
  if (type.endsWith('xx')) return `a ${type} status`;
  return type === 'null'
    ? 'null'
    : /^[aeiou]/.test(type) && type !== 'uuid' && type !== 'url'
      ? `an ${type}`
      : `a ${type}`;
}
