import type { CaseEvent, CheckEvent, EventOf, OperationEvent, RunEvent } from '../model/events.ts';
import { grouped } from '../text/words.ts';
import { ByUser } from './by-user.ts';
import { endOf } from './end-event.ts';
import { isOperation } from './operations.ts';
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
  const users = new ByUser<{ page: boolean; open: OperationEvent | CheckEvent | undefined }>(() => ({
    page: false,
    open: undefined,
  }));
  const lost: (OperationEvent | CheckEvent)[] = [];
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
    else if (event.type === 'figures') last = Math.max(last, start + event.from + event.lasting);
    else {
      last = Math.max(last, endOfEvent(event));
      // Of pages that ran at once, each may break off in a case of its own.
      const user = users.of(event);
      const { open } = user;
      if (open && (event.type === 'page' || open.case !== event.case)) {
        user.open = undefined;
        lost.push(open);
      }
      if (event.type === 'page') user.page = true;
      else if (!user.page) throw refuse('is damaged: a page is missing');
      else user.open = event.type === 'case' ? undefined : event;
    }
    yield event;
  }
  const broken = [...users.all].flatMap(({ open }) => open ?? []);
  for (const event of [...lost, ...broken]) {
    const ended = brokenOff(event);
    totals.add(ended);
    yield ended;
  }
  yield endOf(totals, start, last, { stopped: 'killed' });
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
  if (isOperation(event)) return event.at + event.times.total;
  return event.type === 'case' && event.at !== undefined ? event.at + event.time : 0;
}

function brokenOff({ round, user, case: address, place }: OperationEvent | CheckEvent): CaseEvent {
  const title = address.slice(address.indexOf('#') + 1);
  const problem = { message: 'The record breaks off before this case has ended.', place };
  const eventContext = user === undefined ? { round } : { round, user };
  return { type: 'case', ...eventContext, case: address, title, place, outcome: 'error', time: 0, problem };
}
