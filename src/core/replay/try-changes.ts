import { TimeLimitError, withinOneLimit } from '../text/time-limit.ts';
import type { Change } from './changes/change.ts';
import type { Judge } from './judge.ts';
import type { RecordedAnswer } from './recorded-exchange.ts';
import type { KnownNames, ReplayedNames } from './recorded-names.ts';
import type { ReplayedCase } from './replayed-case.ts';

/** An answer whose parts are changed, and what it takes to look at it. */
export interface TriedAnswer {
  readonly replayed: Pick<ReplayedCase, 'runWith' | 'namesFrom'>;
  readonly answer: Pick<RecordedAnswer, 'sent' | 'fault'>;
  readonly bound: KnownNames;
}

/** What came of one change. */
export interface Trial {
  readonly change: Change;
  readonly failing: ReadonlySet<Judge>;
  /** Names with what the statements made of the changed answer. */
  readonly names: ReplayedNames;
}

/** So many changes share a limit, in milliseconds: one for each would take longer than most of them. */
const [together, limit] = [32, 10_000];

/** Makes one change at a time, and lets those judge who hold for the answer as it came. */
export function* tryChanges(
  answer: TriedAnswer,
  changes: Iterable<Change>,
  judges: readonly Judge[],
): Generator<Trial> {
  let batch: Change[] = [];
  for (const change of changes) {
    batch.push(change);
    if (batch.length < together) continue;
    yield* tryTogether(answer, batch, judges);
    batch = [];
  }
  yield* tryTogether(answer, batch, judges);
}

function tryTogether(answer: TriedAnswer, batch: readonly Change[], judges: readonly Judge[]): Trial[] {
  const all = () => batch.map(change => tryOne(answer, change, judges));
  try {
    return withinOneLimit(limit, 'what a change comes to', all);
  } catch (error) {
    // One by one, each statement has its own limit, and the others are not held up.
    if (error instanceof TimeLimitError) return all();
    throw error;
  }
}

function tryOne({ replayed, answer, bound }: TriedAnswer, change: Change, judges: readonly Judge[]): Trial {
  const names = replayed.namesFrom(bound);
  const run = replayed.runWith(names);
  run.answer({ response: change.apply(), sent: answer.sent, fault: answer.fault });
  return { change, failing: new Set(judges.filter(judge => judge.judge(run) === 'fails')), names };
}
