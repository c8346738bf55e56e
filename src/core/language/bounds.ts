import { SourceError } from '../model/finding.ts';
import { withoutPrototype } from '../text/without-prototype.ts';
import { didYouMean } from '../text/words.ts';

/**
 * A limit on a whole run, as the settings write it: `p95 time < 400 ms`, `failed of sea/tides.md < 1 %`,
 * `p95 time in phase "storm" < 400 ms`.
 */
export interface Bound {
  readonly text: string;
  readonly measure: Measure;
  /** The case, page or folder that it is for; without it, the whole run. */
  readonly of?: string;
  /** The phase of a load that it is for, by its number or its label. */
  readonly phase?: string;
  readonly operator: '<' | '<=' | '>' | '>=';
  /** In milliseconds for times, from 0 to 1 for shares. */
  readonly limit: number;
}

export type Measure =
  | { readonly kind: 'percentile'; readonly percent: number }
  | { readonly kind: 'min' | 'mean' | 'max' }
  /** Cases that did not pass: their share, or their number. */
  | { readonly kind: 'failed'; readonly as: 'share' | 'number' }
  /** Requests a second. */
  | { readonly kind: 'throughput' }
  | { readonly kind: 'apdex' };

const measures = ['min time', 'mean time', 'max time', 'failed', 'throughput', 'apdex'];
const examples = 'For example: p95 time < 400 ms, failed < 1 %, throughput > 20, apdex >= 0.9';
const inMilliseconds: { readonly [unit: string]: number } = withoutPrototype({
  ms: 1,
  s: 1000,
  second: 1000,
  seconds: 1000,
  min: 60_000,
  minute: 60_000,
  minutes: 60_000,
});

// bound :: measure ( "of" address )? ( "in phase" ( number | '"' label '"' ) )? ( "<" | "<=" | ">" | ">=" ) number unit?
/** Throws SourceError, its range within the text. */
export function parseBound(text: string): Bound {
  const parts = /^(?<left>[^<>=]*?)\s*(?<operator><=|>=|<|>)\s*(?<right>[^<>=]*)$/.exec(text);
  const whole = { start: 0, end: text.length };
  if (!parts?.groups) throw new SourceError('bound-form', whole, `'${text}' is no bound.`, examples);
  const { left = '', operator, right = '' } = parts.groups;
  const [, before = '', number, label] = /^(.*?)(?:\s+in\s+phase\s+(?:(\d+)|"([^"]+)"))?$/.exec(left)!;
  const phase = number ?? label;
  const [, words = '', of] = /^(.*?)(?:\s+of\s+(\S.*))?$/.exec(before)!;
  const place = { start: 0, end: words.length };
  const kind = measureOf(words.replace(/\s+/g, ' ').trim(), place);
  const value = text.length - right.length;
  return {
    text,
    ...readLimit(kind, right.trim(), { start: value, end: text.length }),
    ...(of !== undefined && { of }),
    ...(phase !== undefined && { phase }),
    operator: operator as Bound['operator'],
  };
}

function measureOf(words: string, range: SourceError['range']): Measure['kind'] | number {
  const percent = /^p(\d{1,2}(?:\.\d{1,3})?) time$/.exec(words)?.[1];
  if (percent !== undefined && Number(percent) > 0) return Number(percent);
  if (measures.includes(words)) return words.replace(' time', '') as Measure['kind'];
  const known = [...measures, 'p50 time', 'p90 time', 'p95 time', 'p99 time'];
  throw new SourceError(
    'bound-form',
    range,
    words === '' ? 'A bound begins with what it measures.' : `'${words}' cannot be bounded.`,
    didYouMean(words, known) ?? `There are p95 time (any percentile), ${measures.join(', ')}.`,
  );
}

function readLimit(
  kind: Measure['kind'] | number,
  text: string,
  range: SourceError['range'],
): Pick<Bound, 'measure' | 'limit'> {
  const [, number, unit = ''] = /^(\d+(?:\.\d+)?)\s*([a-z%]*)$/.exec(text) ?? [];
  const refuse = (wanted: string) => {
    throw new SourceError('bound-form', range, `'${text}' is no limit for this.`, wanted);
  };
  if (typeof kind === 'number' || kind === 'min' || kind === 'mean' || kind === 'max') {
    const factor = inMilliseconds[unit];
    if (number === undefined || factor === undefined) return refuse('A time is a number and a unit: 400 ms');
    const measure: Measure = typeof kind === 'number' ? { kind: 'percentile', percent: kind } : { kind };
    return { measure, limit: Number(number) * factor };
  }
  if (number === undefined) return refuse(examples);
  if (kind === 'failed') {
    if (unit !== '%' && unit !== '') return refuse('It is a share or a number of cases: 1 %, or 3');
    return unit === '%'
      ? { measure: { kind, as: 'share' }, limit: Number(number) / 100 }
      : { measure: { kind, as: 'number' }, limit: Number(number) };
  }
  if (kind === 'throughput') {
    if (unit !== '') return refuse('It is a number of requests a second: 20');
    return { measure: { kind }, limit: Number(number) };
  }
  if (unit !== '' || Number(number) > 1) return refuse('Apdex is a number from 0 to 1: 0.9');
  return { measure: { kind: 'apdex' }, limit: Number(number) };
}

/** Whether a case belongs to what a bound is for: the case itself, its page, or a folder above. */
export function isWithin(address: string, of: string): boolean {
  return address === of || address.startsWith(`${of}#`) || address.startsWith(`${of.replace(/\/$/, '')}/`);
}
