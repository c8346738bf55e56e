import type { Flow } from '../analysis/flow.ts';
import type { Plan } from '../analysis/plan.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { RunEvent } from '../model/events.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { type LeftOutCase, readRecordedCases } from '../replay/recorded-case.ts';
import { replayAll } from '../replay/replay-all.ts';
import type { LeftOutStep, ReplayedCase, ReplayedRequest } from '../replay/replayed-case.ts';
import type { ResponseView } from '../steps/http/response-view.ts';
import { AskedRequests } from '../suggest/asked-requests.ts';
import { candidatesFor, describedAnswer, loadFor } from '../suggest/suggest.ts';
import { withFewLimits } from '../text/time-limit.ts';
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
  const first = firstOfEach(replayed);
  await loadFor(first.flatMap(responsesOf));
  const weight = (cases: readonly ReplayedCase[]) =>
    cases.flatMap(responsesOf).reduce((sum, response) => sum + response.weight, 0);
  const doubtCase = (one: ReplayedCase): DoubtedCase => ({
    address: one.recorded.planned.address,
    title: one.recorded.planned.title,
    requests: one.requests.flatMap(each =>
      each.answer.response ? [doubtOne(each, asked, later, options)] : [],
    ),
    leftOut: one.leftOut,
  });
  const cases = withFewLimits(weight(first), () =>
    first.map(one => withFewLimits(weight([one]), () => doubtCase(one))),
  );
  return { cases, leftOut };
}

function responsesOf({ requests }: ReplayedCase): ResponseView[] {
  return requests.flatMap(({ answer }) => answer.response ?? []);
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

function doubtOne(
  request: ReplayedRequest,
  asked: AskedRequests,
  later: LaterUses,
  { seed, chanceFor }: DoubtOptions,
): DoubtedRequest {
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
