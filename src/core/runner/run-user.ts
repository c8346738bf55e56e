import type { Plan } from '../analysis/plan.ts';
import type { EventContext } from '../model/event-context.ts';
import { Iteration } from './iteration.ts';
import { brokenOff, rowsIn, type TableRow } from './rows.ts';
import type { IterationBase } from './run-context.ts';
import type { RunControl } from './run-control.ts';

/** What all users of a run share. */
export interface SharedByUsers extends Omit<IterationBase, 'eventContext' | 'pace'> {
  readonly plan: Plan;
  readonly control: RunControl;
  /** When the run began, by the clock that only goes forward. */
  readonly begin: number;
}

/** The rounds of one user, each of them an iteration, or an iteration for each row. */
export async function runUser(user: number | undefined, shared: SharedByUsers): Promise<void> {
  const { plan, control, begin, ports, options, masker, output, explained, lanes, queue, lock } = shared;
  const { lasting, rounds = lasting === undefined ? 1 : Number.POSITIVE_INFINITY } = options;
  const isOver = () => control.isOver;
  const pace = { begun: false };
  // Connections that are all opened in one go would seem to take as long as that takes.
  await queue?.next();
  for (let round = 1; round <= rounds && !isOver(); round++) {
    if (lasting !== undefined && round > 1 && ports.elapsed() - begin >= lasting) return;
    const eventContext: EventContext = user === undefined ? { round } : { round, user };
    const iterate = async (row: TableRow | undefined) => {
      const own = options.masker ?? masker.forIteration();
      // Written out, since copies of other objects are slow to make and to read.
      const base: IterationBase = {
        ports,
        options,
        masker: own,
        output,
        eventContext,
        pace,
        explained,
        lanes,
        queue,
        lock,
        chance: undefined,
        load: undefined,
      };
      await new Iteration(plan, row, control, base).run();
      own.end();
    };
    if (!plan.rows) {
      await iterate(undefined);
      continue;
    }
    try {
      for await (const row of rowsIn(plan.rows)) {
        if (isOver()) return;
        await iterate(row);
      }
    } catch (error) {
      for (const event of brokenOff(plan.pages[0]!, eventContext, error)) output.emit(masker.deep(event));
      return;
    }
  }
}
