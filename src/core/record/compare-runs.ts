import type { CaseEvent, OperationEvent, RunEvent } from '../model/events.ts';
import type { FiguresEvent, RecordedLoad } from '../model/load-events.ts';
import type { Outcome } from '../model/outcomes.ts';
import { CaseGrouping } from './case-grouping.ts';
import { DurationHistogram } from './duration-histogram.ts';
import { isAnswered } from './operations.ts';

/** What two runs have in common and what not. */
export interface Comparison {
  /** Passed before, or was skipped, and fails now; those that are only blocked stand apart. */
  readonly newlyFailing: readonly ChangedCase[];
  readonly newlyBlocked: readonly ChangedCase[];
  readonly repaired: readonly ChangedCase[];
  /** Passes now, and was only blocked before. */
  readonly freed: readonly ChangedCase[];
  readonly slower: readonly SlowerCase[];
  /** Only in the later run. */
  readonly added: readonly ComparedCase[];
  /** Only in the earlier one. */
  readonly gone: readonly ComparedCase[];
  /** Did not pass then, and does not now. */
  readonly stillFailing: number;
  /** In both. */
  readonly common: number;
  /** Whether there was enough to tell what is slower. */
  readonly timesCompared: boolean;
}

export interface ComparedCase {
  readonly address: string;
  readonly title: string;
}

export interface ChangedCase extends ComparedCase {
  readonly before: Outcome;
  readonly now: Outcome;
  /** The first cause, where it is blocked. */
  readonly cause?: string;
}

export interface SlowerCase extends ComparedCase {
  /** Medians of the response times, in milliseconds. */
  readonly before: number;
  readonly now: number;
  /** What tells it from noise. */
  readonly by: 'samples' | 'spread';
}

/** What a record says of a case, all its rows, rounds and users together. */
interface Gathered extends ComparedCase {
  outcome: Outcome;
  cause?: string;
  /** Of its responses, in milliseconds. */
  readonly times: number[];
}

export type GatheredRun = ReadonlyMap<string, Gathered>;

/** So many times of a case are kept. */
const keptTimes = 400;
const graver: readonly Outcome[] = ['skipped', 'passed', 'blocked', 'failed', 'error'];

/** What a record says of each case; what is held does not grow with its rows and rounds. */
export async function gatherRun(events: AsyncIterable<RunEvent>): Promise<GatheredRun> {
  const cases = new Map<string, Gathered>();
  const grouping = new CaseGrouping(event => event.type !== 'check');
  let load: GatheredLoad | undefined;
  for await (const event of events) {
    if (event.type === 'run' && event.load) load = new GatheredLoad(event.load);
    // Of a load lines are a sample.
    if (event.type === 'figures') load?.add(event);
    const ended = load ? undefined : grouping.add(event);
    if (ended) addCase(cases, ended.event, ended.operations);
  }
  return load ? load.cases() : cases;
}

/** What the figures of a load say of each case. */
class GatheredLoad {
  readonly #cases = new Map<number, { outcome: Outcome; readonly times: DurationHistogram }>();

  constructor(readonly load: RecordedLoad) {}

  add({ phase, cases, requests }: FiguresEvent): void {
    if (phase === 0) return;
    for (const { case: at, ...counts } of cases) {
      const known = this.#of(at);
      for (const outcome of graver)
        if (counts[outcome] && graver.indexOf(outcome) >= graver.indexOf(known.outcome))
          known.outcome = outcome;
    }
    for (const { request, sent, times } of requests) {
      const address = this.load.requests[request]?.case;
      const at = this.load.cases.findIndex(each => each.case === address);
      if (at >= 0) this.#of(at).times.addRecorded(sent ?? times);
    }
  }

  cases(): GatheredRun {
    return new Map(
      [...this.#cases].flatMap(([at, { outcome, times }]) => {
        const named = this.load.cases[at];
        if (!named) return [];
        const { case: address, title } = named;
        return [[address, { address, title, outcome, times: evenly(times) }] as const];
      }),
    );
  }

  #of(at: number) {
    const known = this.#cases.get(at) ?? { outcome: 'skipped' as Outcome, times: new DurationHistogram() };
    this.#cases.set(at, known);
    return known;
  }
}

/** As many as are kept of others, spread as all of them are. */
function evenly(times: DurationHistogram): number[] {
  const count = Math.min(times.count, keptTimes);
  return Array.from({ length: count }, (_, at) => times.percentile(((at + 0.5) / count) * 100)!);
}

function addCase(
  cases: Map<string, Gathered>,
  event: CaseEvent,
  operations: readonly OperationEvent[],
): void {
  const { case: address, title, outcome, blocked } = event;
  const known = cases.get(address) ?? { address, title, outcome, times: [] };
  cases.set(address, known);
  if (graver.indexOf(outcome) >= graver.indexOf(known.outcome)) {
    known.outcome = outcome;
    if (blocked) known.cause = blocked.cause;
  }
  for (const operation of operations)
    if (
      isAnswered(operation) &&
      operation.cause === undefined &&
      !('beside' in operation) &&
      known.times.length < keptTimes
    )
      known.times.push(operation.times.total);
}

/** Sets a later run against an earlier one. */
export function compareRuns(before: GatheredRun, now: GatheredRun): Comparison {
  const passes = (outcome: Outcome) => outcome === 'passed' || outcome === 'skipped';
  const common = [...now.values()].filter(each => before.has(each.address));
  const changed = common.map(each => ({
    ...named(each),
    before: before.get(each.address)!.outcome,
    now: each.outcome,
    ...(each.cause !== undefined && { cause: each.cause }),
  }));
  const worse = changed.filter(each => passes(each.before) && !passes(each.now));
  const better = changed.filter(each => !passes(each.before) && passes(each.now));
  const slow = slowerOnes(common.map(each => [before.get(each.address)!, each]));
  return {
    newlyFailing: worse.filter(each => each.now !== 'blocked'),
    newlyBlocked: worse.filter(each => each.now === 'blocked'),
    repaired: better.filter(each => each.before !== 'blocked'),
    freed: better.filter(each => each.before === 'blocked'),
    slower: slow.cases,
    added: [...now.values()].filter(each => !before.has(each.address)).map(named),
    gone: [...before.values()].filter(each => !now.has(each.address)).map(named),
    stillFailing: changed.filter(each => !passes(each.before) && !passes(each.now)).length,
    common: common.length,
    timesCompared: slow.compared,
  };
}

function named({ address, title }: ComparedCase): ComparedCase {
  return { address, title };
}

/** From so many times on, those of one case are enough to tell. */
const enoughSamples = 8;
/** From so many cases on, their spread tells what is noise. */
const enoughCases = 8;
/** What nobody would notice is not told: at least a quarter slower, and 2 ms; of a single time, 20 ms. */
const leastFactor = 1.25;
const leastDifference = { samples: 2, spread: 20 };
/** One in a thousand by chance alone (one-sided, of the normal distribution). */
const rareDeviation = 3.09;
/** Times beside the spread of all cases are rarely normal, so more is asked of them. */
const farDeviation = 5;

/**
 * Which cases became slower beyond noise. Where a case has enough times in both runs, by the rank test of Mann and
 * Whitney; else by how far the logarithm of its ratio lies above the median of all cases, measured by their median
 * absolute deviation: what all of them share (a slower machine) is no reason to blame one.
 */
function slowerOnes(pairs: readonly (readonly [Gathered, Gathered])[]): {
  cases: SlowerCase[];
  compared: boolean;
} {
  const timed = pairs.filter(([a, b]) => a.times.length > 0 && b.times.length > 0);
  const medians = timed.map(([a, b]) => ({ a, b, before: median(a.times), now: median(b.times) }));
  const ratios = medians.map(({ before, now }) => Math.log(Math.max(now, 0.001) / Math.max(before, 0.001)));
  const centre = median(ratios);
  // Of times that hardly spread at all, a tenth is taken for noise.
  const spread = Math.max(0.1, 1.4826 * median(ratios.map(ratio => Math.abs(ratio - centre))));
  const cases = medians.flatMap(({ a, b, before, now }, index) => {
    const bySamples = Math.min(a.times.length, b.times.length) >= enoughSamples;
    const by = bySamples ? ('samples' as const) : ('spread' as const);
    if (now < before * leastFactor || now - before < leastDifference[by]) return [];
    const isSlower = bySamples
      ? rankDeviation(a.times, b.times) > rareDeviation
      : medians.length >= enoughCases && (ratios[index]! - centre) / spread > farDeviation;
    return isSlower ? [{ ...named(b), before, now, by }] : [];
  });
  const compared =
    medians.length >= enoughCases ||
    medians.some(({ a, b }) => Math.min(a.times.length, b.times.length) >= enoughSamples);
  return { cases: cases.sort((x, y) => y.now / y.before - x.now / x.before), compared };
}

function median(values: readonly number[]): number {
  if (values.length === 0) return 0;
  const sorted = values.toSorted((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2;
}

/** The U of Mann and Whitney as a deviation of the normal distribution: how much larger the later values tend to be. */
export function rankDeviation(before: readonly number[], now: readonly number[]): number {
  const all = [
    ...before.map(value => ({ value, isNow: false })),
    ...now.map(value => ({ value, isNow: true })),
  ];
  all.sort((a, b) => a.value - b.value);
  let [rankSum, ties] = [0, 0];
  for (let at = 0; at < all.length; ) {
    let end = at;
    while (end < all.length && all[end]!.value === all[at]!.value) end++;
    const rank = (at + 1 + end) / 2;
    const count = end - at;
    ties += count ** 3 - count;
    for (let each = at; each < end; each++) if (all[each]!.isNow) rankSum += rank;
    at = end;
  }
  const [m, n] = [before.length, now.length];
  const u = rankSum - (n * (n + 1)) / 2;
  const variance = ((m * n) / 12) * (m + n + 1 - ties / ((m + n) * (m + n - 1)));
  return variance <= 0 ? 0 : (u - (m * n) / 2) / Math.sqrt(variance);
}
