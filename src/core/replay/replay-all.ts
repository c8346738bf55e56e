import type { Plan } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { RecordedCase } from './recorded-case.ts';
import { isShownAlike, type KnownNames } from './recorded-names.ts';
import { ReplayedCase, type Replaying } from './replayed-case.ts';

/**
 * Carries out cases again, in the order in which they ran. A record tells the characters of a value and not its kind: what an
 * earlier case has made of its answer is what later ones have.
 */
export function replayAll(
  plan: Plan,
  cases: readonly RecordedCase[],
  replayingFor: (recorded: RecordedCase) => Replaying,
): ReplayedCase[] {
  const made = new Map<string, Entry>();
  const replayed: ReplayedCase[] = [];
  for (const recorded of cases) {
    const own = { ...recorded, known: withKinds(recorded.known, made) };
    const one = ReplayedCase.of(plan, own, replayingFor(recorded));
    for (const [name, entry] of one.made) made.set(name, entry);
    replayed.push(one);
  }
  return replayed;
}

function withKinds(known: KnownNames, made: KnownNames): KnownNames {
  return new Map(
    [...known].map(([name, entry]) => {
      const typed = made.get(name);
      return [name, typed && isShownAlike(typed, entry) ? { ...entry, value: typed.value } : entry];
    }),
  );
}
