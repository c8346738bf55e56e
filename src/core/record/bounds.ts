import { Mistake } from '../text/finding.ts';
import { didYouMean } from '../text/nearest.ts';
import { durationText } from '../values/text.ts';
import type { EventOf, RunEvent } from './events.ts';
import { Figures, Settling } from './figures.ts';

/** A limit on a whole run, as the settings write it: `p95 time < 400 ms`, `failed of sea/tides.md < 1 %`. */
export interface Bound {
  readonly text: string;
  readonly measure: Measure;
  /** The case, page or folder that it is for; without it, the whole run. */
  readonly of?: string;
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

/** What became of a bound. It is unknown where nothing of what it looks at took place. */
export type BoundResult = NonNullable<EventOf<'end'>['bounds']>[number];

const measures = ['min time', 'mean time', 'max time', 'failed', 'throughput', 'apdex'];
const examples = 'For example: p95 time < 400 ms, failed < 1 %, throughput > 20, apdex >= 0.9';
const inMilliseconds: { readonly [unit: string]: number } = {
  ms: 1,
  s: 1000,
  second: 1000,
  seconds: 1000,
  min: 60_000,
  minute: 60_000,
  minutes: 60_000,
};

// bound :: measure ( "of" address )? ( "<" | "<=" | ">" | ">=" ) number unit?
/** Throws Mistake, its range within the text. */
export function parseBound(text: string): Bound {
  const parts = /^(?<left>[^<>=]*?)\s*(?<operator><=|>=|<|>)\s*(?<right>[^<>=]*)$/.exec(text);
  const whole = { start: 0, end: text.length };
  if (!parts?.groups) throw new Mistake('bound-form', whole, `'${text}' is no bound.`, examples);
  const { left = '', operator, right = '' } = parts.groups;
  const [, words = '', of] = /^(.*?)(?:\s+of\s+(\S.*))?$/.exec(left)!;
  const place = { start: 0, end: words.length };
  const kind = measureOf(words.replace(/\s+/g, ' ').trim(), place);
  const value = text.length - right.length;
  return {
    text,
    ...readLimit(kind, right.trim(), { start: value, end: text.length }),
    ...(of !== undefined && { of }),
    operator: operator as Bound['operator'],
  };
}

function measureOf(words: string, range: Mistake['range']): Measure['kind'] | number {
  const percent = /^p(\d{1,2}(?:\.\d{1,3})?) time$/.exec(words)?.[1];
  if (percent !== undefined && Number(percent) > 0) return Number(percent);
  if (measures.includes(words)) return words.replace(' time', '') as Measure['kind'];
  const known = [...measures, 'p50 time', 'p90 time', 'p95 time', 'p99 time'];
  throw new Mistake(
    'bound-form',
    range,
    words === '' ? 'A bound begins with what it measures.' : `'${words}' cannot be bounded.`,
    didYouMean(words, known) ?? `There are p95 time (any percentile), ${measures.join(', ')}.`,
  );
}

function readLimit(
  kind: Measure['kind'] | number,
  text: string,
  range: Mistake['range'],
): Pick<Bound, 'measure' | 'limit'> {
  const [, number, unit = ''] = /^(\d+(?:\.\d+)?)\s*([a-z%]*)$/.exec(text) ?? [];
  const refuse = (wanted: string) => {
    throw new Mistake('bound-form', range, `'${text}' is no limit for this.`, wanted);
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

interface Scope {
  readonly of?: string;
  readonly figures: Figures;
  cases: number;
  bad: number;
}

/** Watches the events of a run for its bounds; what it holds does not grow with the run. */
export class BoundsWatch {
  readonly #bounds: readonly { bound: Bound; place: BoundResult['place']; scope: Scope }[];
  readonly #scopes: Scope[] = [];
  readonly #settling = new Settling((event, held) => {
    for (const { of, figures } of this.#scopes)
      if (of === undefined || isWithin(event.case, of)) figures.add(event, held);
  });

  constructor(
    bounds: NonNullable<EventOf<'run'>['bounds']>,
    readonly threshold: number,
  ) {
    this.#bounds = bounds.map(({ text, place }) => {
      const bound = parseBound(text);
      return { bound, place, scope: this.#scopeOf(bound) };
    });
  }

  #scopeOf({ of }: Bound): Scope {
    const known = this.#scopes.find(each => each.of === of);
    if (known) return known;
    const scope = { ...(of !== undefined && { of }), figures: new Figures(this.threshold), cases: 0, bad: 0 };
    this.#scopes.push(scope);
    return scope;
  }

  add(event: RunEvent): void {
    this.#settling.add(event);
    if (event.type !== 'case' || event.outcome === 'skipped') return;
    for (const scope of this.#scopes) {
      if (scope.of !== undefined && !isWithin(event.case, scope.of)) continue;
      scope.cases++;
      if (event.outcome !== 'passed') scope.bad++;
    }
  }

  /** What has become of them. One that is for what was not selected at all does not apply. */
  results(duration: number): BoundResult[] {
    return this.#bounds
      .filter(({ scope }) => scope.of === undefined || scope.cases > 0)
      .map(({ bound, place, scope }) => {
        const found = measured(bound.measure, scope, duration);
        const base = { text: bound.text, place };
        if (found === undefined) return { ...base, holds: 'unknown', found: 'nothing was measured' };
        return {
          ...base,
          holds: compare(found.value, bound.operator, bound.limit) ? 'yes' : 'no',
          found: found.text,
        };
      });
  }
}

function measured(
  measure: Measure,
  { figures, cases, bad }: Scope,
  duration: number,
): { value: number; text: string } | undefined {
  const { times } = figures;
  const asTime = (value: number | undefined) =>
    value === undefined ? undefined : { value, text: durationText(value) };
  switch (measure.kind) {
    case 'percentile':
      return asTime(times.percentile(measure.percent));
    case 'min':
    case 'mean':
    case 'max':
      return asTime(times[measure.kind]);
    case 'failed': {
      if (cases === 0) return undefined;
      const text = `${bad} of ${cases}`;
      if (measure.as === 'number') return { value: bad, text };
      return { value: bad / cases, text: `${percentText(bad / cases)}, ${text}` };
    }
    case 'throughput': {
      if (figures.requests === 0 || duration <= 0) return undefined;
      const value = figures.requests / (duration / 1000);
      return { value, text: `${rateText(value)} a second` };
    }
    case 'apdex': {
      const value = figures.apdex;
      return value === undefined ? undefined : { value, text: apdexText(value) };
    }
    default:
      return measure satisfies never;
  }
}

function compare(value: number, operator: Bound['operator'], limit: number): boolean {
  switch (operator) {
    case '<':
      return value < limit;
    case '<=':
      return value <= limit;
    case '>':
      return value > limit;
    case '>=':
      return value >= limit;
    default:
      return operator satisfies never;
  }
}

/** `1.2 %`; what is not nothing is never told as nothing, and what is not all never as all. */
export function percentText(share: number): string {
  const percent = share * 100;
  if (percent > 0 && percent < 0.01) return 'under 0.01 %';
  if (percent > 99.99 && percent < 100) return 'over 99.99 %';
  const places = percent < 1 || percent > 99 ? 2 : 1;
  return `${Number(percent.toFixed(places))} %`;
}

export function rateText(perSecond: number): string {
  const places = perSecond < 1 ? 2 : perSecond < 100 ? 1 : 0;
  return String(Number(perSecond.toFixed(places))).replace(/\B(?=(?:\d{3})+$)/g, places === 0 ? ',' : '');
}

export function apdexText(apdex: number): string {
  return apdex.toFixed(2);
}
