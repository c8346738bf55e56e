import { lengthOfLoad } from '../core/language/load/load.ts';
import type { EventOf } from '../core/model/events.ts';
import type { RecordedLoad } from '../core/model/load-events.ts';
import type { Stop } from '../core/model/outcomes.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { capitalized, counted, grouped } from '../core/text/words.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import { loadSentences } from './load-verdict.ts';
import { hasPercentile } from './percentiles.ts';
import type { Paint } from './style.ts';

/** The outcome first: `Failed: 1 case of 12, 2 blocked by it; 39 of 41 checks hold.`, `Passed: 12 cases; …` */
export function verdictInWords(totals: RunTotals): string {
  const { verdict, notes } = verdictAndNotes(totals);
  return [verdict, ...notes].join(' ');
}

/** The verdict, and what has to be known beside it, a sentence each. */
export function verdictAndNotes(totals: RunTotals): {
  readonly verdict: string;
  readonly notes: readonly string[];
} {
  const { checks, held, cases, stopped, because, missing, leftBehind, load, bounds, exceeded, lag, p50 } =
    totals;
  const isBad = cases.failed + cases.error + cases.blocked > 0;
  const parts = [
    isBad ? badCasesInWords(totals) : goodCasesInWords(totals),
    checksInWords(checks, held, isBad),
  ];
  if (bounds.length > 0) {
    const kept = boundsInWords(bounds.length, exceeded.length);
    if (isBad || exceeded.length === 0) parts.push(kept);
    else parts.unshift(kept);
  }
  const outcome =
    isBad || exceeded.length > 0
      ? 'Failed'
      : stopped || missing.length > 0
        ? 'Not finished'
        : checks === 0
          ? 'Nothing was checked'
          : 'Passed';
  const told = parts.filter(
    part => part !== '' && !(outcome === 'Nothing was checked' && part === nothingChecked),
  );
  const sentences = [told.length === 0 ? `${outcome}.` : `${outcome}: ${told.join('; ')}.`];
  if (stopped)
    sentences.push(
      because === undefined ? stopsInWords[stopped] : `${stopsInWords[stopped].slice(0, -1)}: ${because}.`,
    );
  const notes: string[] = [...missing, ...leftBehind];
  if (load) notes.push(...loadSentences(load));
  else if (lag !== undefined && lag > mostLag && lag > (p50 ?? 0) / 10)
    notes.push(
      `In 1 of 100 moments Mervok itself was late by ${durationText(lag)} or more, so some times are told too long.`,
    );
  return { verdict: sentences.join(' '), notes };
}

/** `1 case of 12, 2 blocked by it, 3 skipped` */
function badCasesInWords({ cases, causes }: RunTotals): string {
  const { failed, error, blocked, skipped } = cases;
  const bad = failed + error;
  const all = Object.values(cases).reduce((sum, count) => sum + count, 0);
  const of = (count: number) =>
    all === count ? counted(count, 'case') : `${counted(count, 'case')} of ${grouped(all)}`;
  const parts: string[] = [];
  if (failed > 0) parts.push(of(failed));
  if (error > 0) parts.push(`${failed > 0 ? grouped(error) : of(error)} could not be carried out`);
  if (blocked > 0) {
    const by =
      bad === 1 ? 'it' : causes === undefined || causes === 0 || causes >= bad ? 'them' : `${causes} of them`;
    parts.push(
      bad === 0
        ? `${of(blocked)} ${blocked === 1 ? 'is' : 'are'} blocked`
        : `${grouped(blocked)} blocked by ${by}`,
    );
  }
  if (skipped > 0) parts.push(`${grouped(skipped)} skipped`);
  return parts.join(', ');
}

/** `12 cases, 1 skipped` */
function goodCasesInWords({ cases: { passed, skipped } }: RunTotals): string {
  if (passed === 0) return skipped === 0 ? '' : `${counted(skipped, 'case')} skipped`;
  return counted(passed, 'case') + (skipped > 0 ? `, ${grouped(skipped)} skipped` : '');
}

/** In milliseconds: less is within what a time is told with. */
const mostLag = 5;

function boundsInWords(all: number, exceeded: number): string {
  if (exceeded === 0)
    return all === 1
      ? 'the bound is kept'
      : all === 2
        ? 'both bounds are kept'
        : `all ${all} bounds are kept`;
  if (all === 1) return 'the bound is not kept';
  return `${exceeded} of ${all} bounds ${exceeded === 1 ? 'is' : 'are'} not kept`;
}

export const stopsInWords: { readonly [stop in Stop]: string } = {
  interrupt: 'The run was interrupted.',
  timeout: 'The time for the run was over before it had ended.',
  failure: 'The run ended with the first failure.',
  condition: 'The run was ended as its load says.',
  killed: 'The record breaks off before the end of the run.',
};

const nothingChecked = 'nothing was checked';

/**
 * `39 of 41 checks hold`
 * @param someNotMade whether some were not come to
 */
export function checksInWords(checks: number, held: number, someNotMade = false): string {
  if (checks === 0) return nothingChecked;
  const made = someNotMade ? ' that were made' : '';
  if (held === checks)
    return checks === 1
      ? `the one check${made.replace('were', 'was')} holds`
      : `all ${grouped(checks)} checks${made} hold`;
  if (held === 0)
    return checks === 1 ? 'the one check does not hold' : `none of ${grouped(checks)} checks holds`;
  return `${grouped(held)} of ${grouped(checks)} checks hold`;
}

/** The line below what one case came to; none where nothing was checked. */
export function verdictOnChecks(
  { made, held }: { readonly made: number; readonly held: number },
  paint: Paint,
): string[] {
  if (made === 0) return [];
  const verdict = `${capitalized(checksInWords(made, held))}.`;
  return held === made ? [paint('quiet', verdict)] : [paint('failed', `${verdict} mervok run tells which.`)];
}

/** `41 requests in 3.2 s, 84 kB; half within 18 ms, 95 of 100 within 40 ms` */
export function figuresInWords(totals: RunTotals): string {
  const steps = totals.steps > 0 ? ` and ${counted(totals.steps, 'other step')}` : '';
  const took = `${counted(totals.requests, 'request')}${steps} in ${durationText(totals.duration)}, ${sizeText(totals.received)} received`;
  const { p50, p95 } = totals;
  const again =
    totals.reconnects === 0 ? '' : `; ${grouped(totals.reconnects)} sent once more over a fresh connection`;
  if (p50 === undefined || p95 === undefined || !hasPercentile(totals.requests, 95)) return took + again;
  return `${took}; half within ${durationText(p50)}, 95 of 100 within ${durationText(p95)}${again}`;
}

/** How what failed is run again: what stands before its address, and the options that it ran with. */
export interface Again {
  readonly pathPrefix: string;
  readonly flags: readonly string[];
}

/** So many of the cases that were brought along are named. */
const mostNamed = 8;

/** `sign-in.md#sign-in (it gives token)`; nothing where all that ran was asked for. */
export function broughtInWords(brought: NonNullable<EventOf<'run'>['brought']>): string | undefined {
  if (brought.length === 0) return undefined;
  const named = brought.slice(0, mostNamed).map(each => `${each.case} (${each.because})`);
  const more = brought.length - named.length;
  return `${named.join(', ')}${more > 0 ? `, and ${counted(more, 'more case')}` : ''}`;
}

/** The command that comes next after a failure: the one case, or all that did not pass. */
export function nextInWords(
  address: string | undefined,
  { cases }: RunTotals,
  { pathPrefix, flags }: Again,
): string | undefined {
  if (address === undefined) return undefined;
  const bad = cases.failed + cases.error;
  const several = bad + cases.blocked > 1;
  const folder = pathPrefix === '' ? '' : `${quoteArgument(pathPrefix)} `;
  const what = several ? `${folder}--failed` : quoteArgument(pathPrefix + address);
  const more = flags.map(each => ` ${quoteArgument(each)}`).join('');
  return `Once ${bad > 1 ? 'they are' : 'it is'} mended: mervok run ${what}${more}`;
}

function quoteArgument(text: string): string {
  return /^[\w./#@:=,%+-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`;
}

/** Under which circumstances a run takes place: `, environment staging, shard 2 of 4, 10 rounds`. */
export function runInWords({
  environment,
  shard,
  users,
  rounds,
  lasting,
  rows,
  seed,
  load,
  machines,
}: EventOf<'run'>): string {
  const about = [
    ...(environment === undefined ? [] : [`environment ${environment}`]),
    ...(shard ? [`shard ${shard.index} of ${shard.of} (${shard.share})`] : []),
    ...(load && users === undefined ? [loadInWords(load)] : []),
    ...(machines === undefined ? [] : [`over ${counted(machines, 'machine')}`]),
    ...(load?.threads !== undefined && users === undefined ? [`on ${load.threads} threads`] : []),
    ...(users === undefined ? [] : [counted(users, 'user')]),
    ...(rounds > 1 ? [counted(rounds, 'round')] : []),
    ...(lasting === undefined ? [] : [`for ${durationText(lasting)}`]),
    ...(rows === undefined ? [] : [`each row of ${rows}`]),
    ...(seed === undefined ? [] : [`seed ${seed}`]),
  ];
  return about.map(each => `, ${each}`).join('');
}

/** `a load of 5 phases in 12 min` */
function loadInWords({ phases }: RecordedLoad): string {
  const numbered = phases.filter(({ number }) => number > 0).length;
  const warm = numbered < phases.length ? ' and a warm-up' : '';
  return `a load of ${counted(numbered, 'phase')}${warm} in ${durationText(lengthOfLoad({ phases }))}`;
}

/** How far a run is: `12 of 74 cases, 1 failed, 3 s` */
export function progressInWords(
  { cases, rounds, users = 1 }: EventOf<'run'>,
  totals: RunTotals,
  elapsed: number,
): string {
  const { failed, error, blocked } = totals.cases;
  const done = Object.values(totals.cases).reduce((sum, count) => sum + count, 0);
  const all = cases * rounds * users;
  const bad = failed + error + blocked;
  const time = durationText(Math.round(elapsed / 1000) * 1000);
  const repeats = rounds !== 1 || users > 1;
  const median = repeats && elapsed >= 1000 ? totals.p50 : undefined;
  const far = all > 0 ? `${grouped(done)} of ${counted(Math.max(all, done), 'case')}` : counted(done, 'case');
  const fast =
    median === undefined
      ? []
      : [
          `${grouped(Math.round(totals.requests / (elapsed / 1000)))} requests a second`,
          `half within ${durationText(median)}`,
        ];
  return [far, ...(bad > 0 ? [`${grouped(bad)} did not pass`] : []), elapsed < 1000 ? '' : time, ...fast]
    .filter(part => part !== '')
    .join(', ');
}
