import { isObject, Missing, type Value } from '../model/value.ts';
import { counted } from '../text/words.ts';
import { cut, describe, outline } from '../values/describe.ts';
import { isBinary, sizeText } from '../values/text.ts';
import type { AnswerView } from './answer-view.ts';
import type { Condition, Predicate, ResponseSource } from './ast.ts';
import { subjectOf } from './compile-condition.ts';
import { compileExpression, positionOf } from './compile-expression.ts';
import { compileGiven } from './compile-given.ts';
import { compilePartial } from './compile-partial.ts';
import { descend } from './compile-reference.ts';
import { compileItems } from './compile-source.ts';
import { type Difference, differencesOfPart, differences as differencesOfValues } from './difference.ts';
import type { EvaluationContext, Note } from './evaluation-context.ts';
import { foundInWords, mostDifferences } from './explain-found.ts';
import { expectedOf, type Precision } from './explain-words.ts';
import { isSingular, type Path } from './jsonpath/ast.ts';
import { compileSingular } from './jsonpath/singular.ts';
import { referenceText } from './reference.ts';
import { referencesIn, sourcesIn } from './walk.ts';

/** Why a check did not hold, in words that a report can print. */
export interface Explanation {
  readonly expected: string;
  readonly found: string;
  /** The normalized path of the found value. */
  readonly at?: string;
  /** Where the values come from that the check refers to. */
  readonly origins?: readonly { readonly name: string; readonly value: string; readonly origin: string }[];
  /** What of a larger value is not as it should be. */
  readonly differences?: readonly Difference[];
  readonly nearest?: NearestPart['nearest'];
  readonly nearestOf?: NearestPart['nearestOf'];
}

/** The part of a response around a found value. */
export interface NearestPart {
  readonly nearest?: string;
  /** Of what it is a part, where that is no response: `rows`, `output`. */
  readonly nearestOf?: string;
}

/** Explains a check that does not hold, from what its comparisons saw. `text` is the check as written. */
export function explain(
  condition: Condition,
  notes: readonly Note[],
  text: string,
  context: EvaluationContext,
): Explanation {
  const [first] = notes;
  // What a negation refuses is what holds, so no comparison speaks of it.
  if (!first || condition.type === 'not')
    return { expected: text, found: 'the opposite', ...around(first, context) };
  const word = condition.type === 'or' ? ', or ' : ', and ';
  const join = (parts: string[], between: string) => [...new Set(parts)].join(between);
  const at = notes.length === 1 ? placeOf(first, context) : undefined;
  const origins = originsOf(notes, context);
  // Once: to look for them may take as long as the check itself.
  const differing = notes.map(note => differencesIn(note, context));
  const differences = differing.flat();
  const both = (precision: Precision) => ({
    expected: join(
      notes.map(note => expectedOf(note.comparison, context, precision)),
      word,
    ),
    found: join(
      notes.map((note, index) => foundInWords(note, differing[index]!.length, precision, context)),
      '; ',
    ),
  });
  const rounded = both('rounded');
  // Where a rounded time or size would read the same, all of it is told.
  const alike = rounded.expected.endsWith(rounded.found);
  return {
    ...(alike ? both('exact') : rounded),
    ...(at !== undefined && { at }),
    ...(differences.length > 0 && { differences: differences.slice(0, mostDifferences) }),
    ...(origins.length > 0 && { origins }),
    ...around(first, context),
  };
}

/** What stands around a response of which nothing single is to be shown: the document, or the beginning of the body. */
export function nearestPart(context: EvaluationContext): NearestPart {
  return around(undefined, context);
}

/** What of a larger value differs from a part, a schema or another value that is wanted of it. */
function differencesIn(
  { comparison, found, items, truth }: Note,
  context: EvaluationContext,
): readonly Difference[] {
  const { predicate } = comparison;
  if (predicate.negated || truth !== false) return [];
  const subject = subjectOf(comparison);
  const begin = subject.type === 'reference' ? `{${referenceText(subject)}}` : undefined;
  const targets = items
    ? items.deciding.slice(0, 3).map(({ value, match }) => ({ value, at: match?.path ?? begin ?? 'it' }))
    : [{ value: found, at: begin ?? placeOf({ comparison, found, truth: false }, context) ?? 'it' }];
  return targets.flatMap(({ value, at }) =>
    value instanceof Missing ? [] : compare(value, predicate, at, context),
  );
}

function compare(
  value: Value,
  predicate: Predicate,
  at: string,
  context: EvaluationContext,
): readonly Difference[] {
  switch (predicate.test) {
    case 'includes': {
      const part = compilePartial(predicate.value)(context);
      return part instanceof Missing ? [] : differencesOfPart(value, part, at, mostDifferences);
    }
    case 'fits': {
      const found = context.schema?.(predicate.schema, predicate.from)?.(value, at) ?? [];
      return found instanceof Missing ? [] : found.slice(0, mostDifferences);
    }
    case 'compare': {
      if (predicate.operator !== '=' || predicate.anyOrder) return [];
      const wanted = compileExpression(predicate.value)(context);
      const both = [value, wanted];
      const large = both.every(Array.isArray) || both.every(isObject);
      return large ? differencesOfValues(value, wanted as Value, at, mostDifferences) : [];
    }
    default:
      return [];
  }
}

/** What a condition that holds has looked at, where that is one value. */
export function foundBy(condition: Condition, context: EvaluationContext): string | undefined {
  if (condition.type !== 'comparison') return undefined;
  if (condition.quantifier) {
    const items = compileItems(condition.subject as ResponseSource)(context);
    return items instanceof Missing ? undefined : counted(items.length, 'value');
  }
  const found = compileExpression(subjectOf(condition))(context);
  return found instanceof Missing ? 'nothing' : describe(found);
}

/** Where in the document the value stands that a comparison looked at, where it is a single one. */
function placeOf({ comparison, found }: Note, context: EvaluationContext): string | undefined {
  if (found instanceof Missing || comparison.quantifier) return undefined;
  const subject = subjectOf(comparison);
  const source = subject.type === 'query' ? subject.of : subject;
  if (
    source.type !== 'source' ||
    !(source.form === 'path' || source.form === 'xml' || source.form === 'html')
  )
    return undefined;
  const matches = compileItems(source)(context);
  if (matches instanceof Missing) return undefined;
  if (subject.type !== 'query') return matches.length === 1 ? matches[0]!.path : undefined;
  if (subject.pick === 'random') return matches.find(({ value }) => value === found)?.path;
  return subject.pick === 'count' || subject.pick === 'all'
    ? undefined
    : matches[positionOf(subject, matches.length, context)]?.path;
}

function originsOf(notes: readonly Note[], context: EvaluationContext) {
  const written = new Map(
    notes.flatMap(note => referencesIn(note.comparison)).map(each => [referenceText(each), each]),
  );
  return [...written].flatMap(([name, reference]) => {
    const entry = context.lookup(reference.name);
    if (!entry) return [];
    const value = descend(entry.value, reference.path, reference.name);
    return [{ name, value: value instanceof Missing ? value.reason : describe(value), origin: entry.origin }];
  });
}

const saysItAll: ReadonlySet<string> = new Set(['header', 'body', 'output', 'errors', 'changed']);

function around(note: Note | undefined, context: EvaluationContext): NearestPart {
  const { response } = context;
  const nearest = response && nearestIn(response, note, context);
  if (nearest === undefined) return {};
  return response?.contentName === 'response' ? { nearest } : { nearest, nearestOf: response!.contentName };
}

function nearestIn(
  response: AnswerView,
  note: Note | undefined,
  context: EvaluationContext,
): string | undefined {
  if (!response.hasContent) return undefined;
  const { subject } = note?.comparison ?? {};
  const source = note && sourcesIn(note.comparison)[0];
  // Of these, what was found says it all; a list of one's own is no part of the response.
  if (source && saysItAll.has(source.form)) return undefined;
  if (subject?.type === 'reference') return undefined;
  const match = note?.items?.deciding[0]?.match;
  if (match) return cut(match.surroundings);
  if (source?.form === 'xml' || source?.form === 'html') return aroundFirst(source, context);
  const document = response.documentAs(source?.form === 'path' ? source.as : undefined);
  if (document instanceof Missing) return inOneLine(response);
  return outline(source?.form === 'path' ? parentOf(source.path, document, context) : document);
}

function aroundFirst(source: ResponseSource, context: EvaluationContext): string {
  const matches = compileItems(source)(context);
  const first = matches instanceof Missing ? undefined : matches[0];
  return first ? cut(first.surroundings) : inOneLine(context.response!);
}

/** The beginning of a body that is no JSON; what is no text at all is only named. */
function inOneLine(response: AnswerView, text = response.text): string {
  if (!isBinary(text)) return cut(text.replace(/\s+/g, ' ').trim());
  return `${sizeText(response.received.body.length)} of ${response.contentType ?? 'bytes'}`;
}

/** The deepest part of the document on the way to a path, above its last step. */
function parentOf({ segments, given }: Path, document: Value, context: EvaluationContext): Value {
  const values = compileGiven(given)(context);
  if (values instanceof Missing) return document;
  let [at, deepest] = [document, document];
  for (const segment of segments.slice(0, -1)) {
    if (!isSingular([segment])) break;
    const next = compileSingular([segment])(at, values);
    if (next instanceof Missing) break;
    at = next;
    if (typeof at === 'object' && at !== null) deepest = at;
  }
  return deepest;
}
