import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';
import { withoutPrototype } from '../../text/without-prototype.ts';
import { didYouMean } from '../../text/words.ts';
import { readDuration } from '../../values/compare.ts';
import type { LoadUnit } from './load.ts';

export type PhaseVerb = 'warm up' | 'rise' | 'fall' | 'stay';

/** What the line of a phase says, before it is known what stands above it. */
export interface PhaseParts {
  readonly verb: PhaseVerb;
  /** What it leads to, or stays at, where that is said. */
  readonly target: PhaseTarget | undefined;
  /** In milliseconds. */
  readonly lasting: number;
}

export interface PhaseTarget {
  /** Users, or rounds a second. */
  readonly amount: number;
  readonly unit: LoadUnit | undefined;
  readonly range: Range;
}

export const phaseForms =
  'There are: rise to 50 users in 2 min, stay 5 min, rise to 400 rounds/s in 1 min, fall to 0 in 30 s, warm up for 10 s';
/** What a line begins with. */
const beginnings = ['warm up', 'rise to', 'fall to', 'each user', 'stop when', 'stay'];

/** How many seconds a rate is for. */
const rates: { readonly [unit: string]: number } = withoutPrototype({
  'rounds/s': 1,
  'round/s': 1,
  'rounds/min': 60,
  'round/min': 60,
  'rounds/h': 3600,
  'round/h': 3600,
});

/** Each form of a phase, what a slip in it is told, and how it is written. */
const forms: readonly {
  readonly verb: PhaseVerb;
  readonly begins: RegExp;
  /** With the groups `target` and `time`. */
  readonly form: RegExp;
  readonly lacks: string;
  readonly remedy: string;
}[] = [
  {
    verb: 'warm up',
    begins: /^warm\s+up\b/,
    form: /^warm\s+up\s+(?:with\s+(?<target>.+?)\s+)?for\s+(?<time>\S.*)$/d,
    lacks: 'It is not said for how long.',
    remedy: 'It is written: warm up for 10 s, or: warm up with 5 users for 10 s',
  },
  {
    verb: 'rise',
    begins: /^rise\s+to\b/,
    form: /^rise\s+to\s+(?<target>.+?)\s+in\s+(?<time>\S.*)$/d,
    lacks: 'It is not said in what time.',
    remedy:
      'It is written: rise to 50 users in 2 min; what begins at once is written: stay at 50 users for 5 min',
  },
  {
    verb: 'fall',
    begins: /^fall\s+to\b/,
    form: /^fall\s+to\s+(?<target>.+?)\s+in\s+(?<time>\S.*)$/d,
    lacks: 'It is not said in what time.',
    remedy: 'It is written: fall to 0 in 30 s',
  },
  {
    verb: 'stay',
    begins: /^stay\b/,
    form: /^stay\s+(?:at\s+(?<target>.+?)\s+for\s+|for\s+)?(?<time>(?!at\b|for\b)\S.*)$/d,
    lacks: 'It is not said for how long.',
    remedy: 'It is written: stay 5 min, or: stay at 50 users for 5 min',
  },
];

/** Throws SourceError. */
export function readPhaseParts(text: string): PhaseParts {
  const known = forms.find(({ begins }) => begins.test(text));
  if (!known) {
    const [first = '', second = ''] = text.split(/\s+/);
    const more = 'Besides: each user takes row of "pilots.csv", stop when failed > 20 % for 10 s';
    const meant = didYouMean(`${first} ${second}`, beginnings) ?? didYouMean(first, beginnings);
    const remedy = meant ?? `${phaseForms}. ${more}`;
    throw loadError(wholeOf(text), `'${text}' is nothing that a load does.`, remedy);
  }
  const parts = known.form.exec(text);
  if (!parts?.indices?.groups) throw loadError(wholeOf(text), known.lacks, known.remedy);
  const { target, time } = parts.indices.groups as { [group: string]: [number, number] | undefined };
  return {
    verb: known.verb,
    target: target && readTarget(text, { start: target[0], end: target[1] }),
    lasting: readTime(text, { start: time![0], end: time![1] }),
  };
}

function readTarget(text: string, range: Range): PhaseTarget {
  const written = text.slice(range.start, range.end);
  const [, number, unit = ''] = /^(\d+(?:\.\d+)?)\s*(\S.*)?$/.exec(written) ?? [];
  if (number === undefined)
    throw loadError(range, `'${written}' is no number of users, or of rounds a second.`, phaseForms);
  const amount = Number(number);
  if (unit === '') return { amount, unit: undefined, range };
  if (unit === 'users' || unit === 'user') return { amount, unit: 'users', range };
  const seconds = rates[unit.replace(/\s*\/\s*/, '/')];
  if (seconds !== undefined) return { amount: amount / seconds, unit: 'rounds', range };
  const remedy =
    didYouMean(unit, ['users', 'user', 'rounds/s']) ??
    'There are users, and rounds/s (rounds/min, rounds/h).';
  throw loadError({ start: range.end - unit.length, end: range.end }, `'${unit}' is not known here.`, remedy);
}

/** In milliseconds. Throws SourceError. */
export function readTime(text: string, range: Range): number {
  const written = text.slice(range.start, range.end);
  const time = readDuration(written)?.milliseconds;
  if (time !== undefined && time > 0) return time;
  throw loadError(range, `'${written}' is no duration.`, 'It is a number and its unit: 30 s, 2 min, 1.5 h');
}

export function wholeOf(text: string): Range {
  return { start: 0, end: text.length };
}

export function loadError(range: Range, message: string, remedy?: string): SourceError {
  return new SourceError('load-form', range, message, remedy);
}
