import type { CaseEvent, CheckEvent, EventOf, ExchangeEvent, RunEvent } from '../model/events.ts';
import { grouped } from '../text/words.ts';
import { endOf } from './end-event.ts';
import { RunTotals } from './totals.ts';

type Totals = EventOf<'end'>['totals'];

/** Makes of what is wrong with a record (`is damaged: …`) what is thrown. */
export type Refuse = (why: string) => Error;

/**
 * A record from its beginning to its end. Lines that are gone from it are found out by what its end counts. Where the
 * record of a run that was killed breaks off, it gets the end that can be told: the cases that had begun did not end, and
 * it was over when something last happened.
 */
export async function* withEnd(events: AsyncIterable<RunEvent>, refuse: Refuse): AsyncGenerator<RunEvent> {
  const totals = new RunTotals();
  const pages = new Set<number>();
  const open = new Map<number, ExchangeEvent | CheckEvent>();
  const lost: (ExchangeEvent | CheckEvent)[] = [];
  let start = 0;
  let last = 0;
  for await (const event of events) {
    if (event.type === 'end') {
      const why = missingIn(totals.recorded, event.totals);
      if (why !== undefined) throw refuse(why);
      yield event;
      return;
    }
    totals.add(event);
    if (event.type === 'run') start = last = Date.parse(event.at);
    else {
      const { user = 0 } = event;
      last = Math.max(last, endOfEvent(event));
      // Of pages that ran at once, each may break off in a case of its own.
      const before = open.get(user);
      if (before && (event.type === 'page' || before.case !== event.case)) {
        open.delete(user);
        lost.push(before);
      }
      if (event.type === 'page') pages.add(user);
      else if (!pages.has(user)) throw refuse('is damaged: a page is missing');
      else if (event.type === 'case') open.delete(user);
      else open.set(user, event);
    }
    yield event;
  }
  for (const event of [...lost, ...open.values()]) {
    const broken = brokenOff(event);
    totals.add(broken);
    yield broken;
  }
  yield endOf(totals, start, last, 'killed');
}

function missingIn(held: Totals, counted: Totals): string | undefined {
  const cases = ({ cases }: Totals) => Object.values(cases).reduce((sum, count) => sum + count, 0);
  const counts: [what: string, held: number, counted: number][] = [
    ['cases', cases(held), cases(counted)],
    ['checks', held.checks, counted.checks],
    ['requests', held.requests, counted.requests],
  ];
  const wrong = counts.find(([, one, other]) => one !== other);
  return (
    wrong && `is damaged: it holds ${grouped(wrong[1])} ${wrong[0]}, and its end counts ${grouped(wrong[2])}`
  );
}

/** When something was over, in milliseconds since 1970; nothing is known of checks and pages. */
function endOfEvent(event: RunEvent): number {
  if (event.type === 'exchange') return event.at + event.times.total;
  return event.type === 'case' && event.at !== undefined ? event.at + event.time : 0;
}

function brokenOff({ round, user, case: address, place }: ExchangeEvent | CheckEvent): CaseEvent {
  const title = address.slice(address.indexOf('#') + 1);
  const problem = { message: 'The record breaks off before this case has ended.', place };
  const eventContext = user === undefined ? { round } : { round, user };
  return { type: 'case', ...eventContext, case: address, title, place, outcome: 'error', time: 0, problem };
}
