import type { Change } from './changes/change.ts';
import type { Judge } from './judge.ts';
import { mayMatter } from './outlook.ts';
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
  /** Those who do not let it pass. */
  readonly failing: ReadonlySet<Judge>;
  /** Names with what the statements made of the changed answer. */
  readonly names: ReplayedNames;
}

/** Those who make a name that others look at, and these: whatever is changed, the one goes with the other. */
function dependenceOf(judges: readonly Judge[]): ReadonlySet<Judge> {
  const given = new Set(judges.flatMap(({ step }) => step?.gives?.map(({ name }) => name) ?? []));
  const used = new Set(
    judges.flatMap(({ step }) => step?.refersTo?.() ?? []).filter(name => given.has(name)),
  );
  return new Set(
    judges.filter(
      ({ step }) =>
        step?.gives?.some(({ name }) => used.has(name)) || step?.refersTo?.().some(name => used.has(name)),
    ),
  );
}

/**
 * Makes one change at a time, and lets those judge who hold for the answer as it came. Whoever does not look at what is changed
 * is not asked.
 * @param isEnough whether nobody else has to be asked, once one has failed
 */
export function* tryChanges(
  { replayed, answer, bound }: TriedAnswer,
  changes: Iterable<Change>,
  judges: readonly Judge[],
  isEnough: (failing: Judge) => boolean = () => false,
): Generator<Trial> {
  const dependence = dependenceOf(judges);
  for (const change of changes) {
    const names = replayed.namesFrom(bound);
    const run = replayed.runWith(names);
    run.answer({ response: change.apply(), sent: answer.sent, fault: answer.fault });
    const failing = new Set<Judge>();
    for (const judge of judges) {
      if (!dependence.has(judge) && !mayMatter(judge, change)) continue;
      if (judge.judge(run) !== 'fails') continue;
      failing.add(judge);
      if (isEnough(judge)) break;
    }
    yield { change, failing, names };
  }
}
