import type { EventOf } from '../core/model/events.ts';
import { apdexText, percentText } from '../core/record/number-texts.ts';
import type { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted, grouped, inWords } from '../core/text/words.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import { heldInWords, outdatedInWords } from './held.ts';
import { timesInWords } from './percentiles.ts';
import { broughtInWords } from './verdict.ts';

/** What is told of a run beside its verdict: the name of each thing, and its value. */
export function factsOf(
  run: EventOf<'run'>,
  totals: RunTotals,
  endpoints: readonly string[],
): [name: string, value: string][] {
  const { duration } = totals;
  const ended = new Date(Date.parse(run.at) + duration).toISOString();
  const facts: [string, string | undefined][] = [
    ['Environment', run.environment],
    [endpoints.length === 1 ? 'Endpoint' : 'Endpoints', endpointsInWords(endpoints)],
    ['Began', instantInWords(run.at)],
    ['Ended', instantInWords(ended)],
    ['Took', durationText(Math.round(duration))],
    ['Selected', run.selected],
    ['Brought along', run.brought && broughtInWords(run.brought)],
    ['Users', run.users === undefined ? undefined : grouped(run.users)],
    ['Rounds', run.rounds > 1 ? grouped(run.rounds) : undefined],
    ['Lasting', run.lasting === undefined ? undefined : durationText(run.lasting)],
    [
      'Load',
      run.load && run.users === undefined
        ? run.load.phases
            .map(({ label, text }) => (label === undefined ? text : `"${label}": ${text}`))
            .join('; ')
        : undefined,
    ],
    ['Machines', run.machines === undefined ? undefined : grouped(run.machines)],
    ['Threads', run.load?.threads === undefined ? undefined : String(run.load.threads)],
    ['Rows', run.rows ?? run.load?.rows],
    ['Shard', run.shard && `${run.shard.index} of ${run.shard.of} (${run.shard.share})`],
    ['Seed', run.seed],
    ['With', run.tool],
    ['Definition', heldInWords(totals).join(' ') || undefined],
    ['Examples', outdatedInWords(totals)],
  ];
  return facts.filter((fact): fact is [string, string] => fact[1] !== undefined);
}

function endpointsInWords(endpoints: readonly string[]): string | undefined {
  if (endpoints.length === 0) return undefined;
  const more = endpoints.length - 3;
  return inWords(more > 0 ? [...endpoints.slice(0, 3), `${more} more`] : endpoints);
}

const months = 'January February March April May June July August September October November December'.split(
  ' ',
);

/** `23 November 2026, 17:06:12 UTC` */
function instantInWords(iso: string): string {
  const at = new Date(iso);
  return `${at.getUTCDate()} ${months[at.getUTCMonth()]} ${at.getUTCFullYear()}, ${at.toISOString().slice(11, 19)} UTC`;
}

/** The figures of a run, in sentences. */
export function totalsInWords(
  { cases, requests, steps, received, checks, held }: RunTotals,
  { total, repeats }: RunStatistics,
): string {
  const ran = Object.values(cases).reduce((sum, count) => sum + count, 0);
  const told = (Object.entries(cases) as [string, number][])
    .filter(([, count]) => count > 0)
    .map(
      ([outcome, count]) => `${grouped(count)} ${outcome === 'error' ? 'could not be carried out' : outcome}`,
    );
  const sentences = [
    `${counted(ran, 'case')}: ${inWords(told)}.`,
    `${grouped(held)} of ${counted(checks, 'check')} ${held === 1 ? 'holds' : 'hold'}.`,
    `${counted(requests, 'request')} ${requests === 1 ? 'was' : 'were'} sent, ${sizeText(received)} came back.`,
    ...(steps > 0 ? [`${counted(steps, 'other step')} ${steps === 1 ? 'was' : 'were'} carried out.`] : []),
  ];
  const took = timesInWords(total.times);
  if (took !== undefined) sentences.push(took);
  if (repeats && total.errorRate !== undefined)
    sentences.push(
      `${total.failed === 0 ? 'No request failed' : `${percentText(total.errorRate)} of the requests failed`}; Apdex is ${apdexText(total.apdex!)} for ${durationText(total.threshold)}.`,
    );
  return sentences.join(' ');
}
