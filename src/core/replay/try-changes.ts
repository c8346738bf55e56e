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

/** Makes one change at a time, and lets those judge who hold for the answer as it came. Nothing outlasts its change. */
export async function* tryChanges(
  { replayed, answer, bound }: TriedAnswer,
  changes: Iterable<Change>,
  judges: readonly Judge[],
): AsyncGenerator<Trial> {
  for (const change of changes) {
    const names = replayed.namesFrom(bound);
    const run = replayed.runWith(names);
    run.answer({ response: change.apply(), sent: answer.sent, fault: answer.fault });
    const failing = new Set<Judge>();
    for (const judge of judges) {
      const verdict = judge.judge(run);
      if ((typeof verdict === 'string' ? verdict : await verdict) === 'fails') failing.add(judge);
    }
    yield { change, failing, names };
  }
}
