import type { Flow } from '../analysis/flow.ts';
import type { Plan } from '../analysis/plan.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { RunEvent } from '../model/events.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { type LeftOutCase, readRecordedCases } from '../replay/recorded-case.ts';
import { replayAll } from '../replay/replay-all.ts';
import type { LeftOutStep, ReplayedCase, ReplayedRequest } from '../replay/replayed-case.ts';
import { AskedRequests } from '../suggest/asked-requests.ts';
import { candidatesFor, describedAnswer } from '../suggest/suggest.ts';
import { type DoubtedRequest, doubtRequest } from './doubt-request.ts';
import { LaterUses } from './later-uses.ts';

/** What was found of the checks of a case. */
export interface DoubtedCase {
  readonly address: string;
  readonly title: string;
  readonly requests: readonly DoubtedRequest[];
  readonly leftOut: readonly LeftOutStep[];
}

export interface Doubt {
  readonly cases: readonly DoubtedCase[];
  /** Cases of which nothing can be said. */
  readonly leftOut: readonly LeftOutCase[];
}

export interface DoubtOptions {
  /** What chance begins with; without it the last items of lists are changed. */
  readonly seed: string | undefined;
  readonly chanceFor: (...turn: readonly string[]) => ClockAndRandom;
  readonly file: ExternalSources['bytes'];
}

/** Would the checks notice? Changes recorded answers one thing at a time, and carries out what looks at them. */
export async function doubt(
  plan: Plan,
  flow: Flow,
  events: AsyncIterable<RunEvent>,
  options: DoubtOptions,
): Promise<Doubt> {
  const { cases: recorded, leftOut } = await readRecordedCases(plan, events);
  const replayed = replayAll(plan, recorded, ({ planned }) => ({
    chance: options.chanceFor('statements', planned.address),
    file: options.file,
  }));
  const asked = new AskedRequests(flow);
  for (const { requests } of replayed) for (const request of requests) asked.addRecorded(request);
  const later = new LaterUses(flow, replayed);
  const cases: DoubtedCase[] = [];
  for (const one of firstOfEach(replayed)) {
    const { planned } = one.recorded;
    const requests: DoubtedRequest[] = [];
    for (const request of one.requests)
      if (request.answer.response) requests.push(await doubtOne(request, asked, later, options));
    cases.push({ address: planned.address, title: planned.title, requests, leftOut: one.leftOut });
  }
  return { cases, leftOut };
}

/** A case that has run several times is looked at once: what is said of one answer holds for the others. */
function firstOfEach(all: readonly ReplayedCase[]): ReplayedCase[] {
  const seen = new Set<string>();
  return all.filter(({ recorded: { planned } }) => {
    const isFirst = planned.asked && !seen.has(planned.address);
    seen.add(planned.address);
    return isFirst;
  });
}

async function doubtOne(
  request: ReplayedRequest,
  asked: AskedRequests,
  later: LaterUses,
  { seed, chanceFor }: DoubtOptions,
): Promise<DoubtedRequest> {
  const observed = asked.of(request.step)!;
  const turn = `${request.step.place.file}:${request.step.place.line}`;
  return doubtRequest(request, {
    candidates: () => candidatesFor(observed),
    described: describedAnswer(observed),
    later,
    chance: seed === undefined ? undefined : chanceFor('items', turn).random,
    sample: chanceFor('sample', turn).random,
  });
}
