import { SourceError } from '../model/finding.ts';
import { faultWords, otherFaultWords } from '../model/http-messages.ts';
import { type Kind, kindInWords } from '../model/value.ts';
import { didYouMean, inWords } from '../text/words.ts';
import type { Comparison, Expression, Predicate, TypeName } from './ast.ts';
import { impossible, inSentence, kindOfExpression, type StaticKind } from './static-kinds.ts';

/** What can never hold, whatever the response. */
export function checkComparison(comparison: Comparison): SourceError[] {
  const { subject, predicate, range, quantifier } = comparison;
  // Of what a word leads, the items are compared; their kinds are those of the source.
  const kind = quantifier && subject.type === 'reference' ? 'any' : kindOfExpression(subject);
  const never = (found: ReturnType<typeof impossible>) =>
    found ? [new SourceError('never-equal', range, found.message, found.remedy)] : [];
  switch (predicate.test) {
    case 'compare':
      return [
        ...never(impossible(subject, predicate.value, predicate.operator)),
        ...unknownFaults(subject, [predicate.value]),
      ];
    case 'between':
      return [
        ...never(impossible(subject, predicate.low, '>=')),
        ...never(impossible(subject, predicate.high, '<=')),
      ];
    case 'in': {
      const [only] = predicate.values;
      const single = predicate.values.length === 1;
      const values = single && only!.type === 'list' ? only!.items : single ? [] : predicate.values;
      return [
        ...values.flatMap(value => never(impossible(subject, value, '='))),
        ...unknownFaults(subject, values),
      ];
    }
    case 'is':
      return checkTypes(subject, kind, predicate.types, predicate);
    default:
      return checkSubject(kind, predicate);
  }
}

/** The kinds that a predicate can be asked of. */
const askable: { readonly [test in Predicate['test']]?: readonly StaticKind[] } = {
  contains: ['text', 'plain', 'list', 'any'],
  starts: ['text', 'plain', 'any'],
  ends: ['text', 'plain', 'any'],
  matches: ['text', 'plain', 'any'],
  empty: ['text', 'plain', 'list', 'object', 'any'],
  unique: ['list', 'any'],
  sorted: ['list', 'any'],
  'sorted-down': ['list', 'any'],
};

function checkSubject(kind: StaticKind, predicate: Predicate): SourceError[] {
  const kinds = askable[predicate.test];
  if (!kinds || kinds.includes(kind)) return [];
  const wanted = kinds.includes('text') ? (kinds.includes('list') ? 'a text or a list' : 'a text') : 'a list';
  const remedy =
    kind === 'text' && wanted === 'a list' ? 'The items of a JSON list are $ and a path.' : undefined;
  return [
    new SourceError(
      'never-equal',
      predicate.range,
      `This is asked of ${wanted}, and ${kindInWords(kind as Kind)} stands here.`,
      kind === 'number' && wanted.startsWith('a text') ? 'text(…) makes a text of a number.' : remedy,
    ),
  ];
}

/** Types that a value of a kind can be of; of other kinds nothing is known before the run. */
const typesOfKinds: { readonly [kind in StaticKind]?: readonly TypeName[] } = {
  number: ['number', 'integer'],
  text: ['text', 'date', 'timestamp', 'uuid', 'url', 'email'],
  boolean: ['boolean'],
  null: ['null'],
  list: ['list'],
  object: ['object'],
  duration: [],
  size: [],
  bytes: [],
  date: ['date'],
  timestamp: ['timestamp'],
};

function checkTypes(
  subject: Expression,
  kind: StaticKind,
  types: readonly TypeName[],
  { range }: Predicate,
): SourceError[] {
  const onStatus = subject.type === 'source' && subject.form === 'status';
  if (types.some(type => /xx$/.test(type)) && !onStatus)
    return [
      new SourceError(
        'never-equal',
        range,
        'A class such as 2xx is about the status alone.',
        'Write status is 2xx.',
      ),
    ];
  const possible = typesOfKinds[kind];
  if (!possible || types.some(type => possible.includes(type) || /xx$/.test(type))) return [];
  const isBody = subject.type === 'source' && subject.form === 'body';
  return [
    new SourceError(
      'never-equal',
      range,
      `${inSentence(kind)} is never ${inWords(types, 'or')}.`,
      isBody ? `The body as JSON is $: write $ is ${types[0]}.` : undefined,
    ),
  ];
}

/** A fault is one of a few words, so a mistyped one could never be met. */
function unknownFaults(subject: Expression, values: readonly Expression[]): SourceError[] {
  if (subject.type !== 'source' || subject.form !== 'fault') return [];
  const words = ['none', ...faultWords, ...otherFaultWords];
  return values.flatMap(value => {
    const [word] = value.type === 'text' ? value.parts : [];
    if (value.type !== 'text' || value.parts.length !== 1 || typeof word !== 'string' || words.includes(word))
      return [];
    return [
      new SourceError(
        'never-equal',
        value.range,
        `There is no fault '${word}'.`,
        didYouMean(word, words) ?? `There are ${inWords(words)}.`,
      ),
    ];
  });
}
