import type { Plan } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { withFewLimits } from '../text/time-limit.ts';
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
  const weight = cases.reduce((sum, each) => sum + weightOf(each), 0);
  return withFewLimits(weight, () => {
    const made = new Map<string, Entry>();
    return cases.map(recorded => {
      const own = { ...recorded, known: withKinds(recorded.known, made) };
      const one = withFewLimits(weightOf(recorded), () => ReplayedCase.of(plan, own, replayingFor(recorded)));
      for (const [name, entry] of one.made) made.set(name, entry);
      return one;
    });
  });
}

/** In bytes: what its statements look at. */
function weightOf({ answers }: RecordedCase): number {
  return [...answers.values()].reduce((sum, { response }) => sum + (response?.weight ?? 0), 0);
}

function withKinds(known: KnownNames, made: KnownNames): KnownNames {
  return new Map(
    [...known].map(([name, entry]) => {
      const typed = made.get(name);
      return [name, typed && isShownAlike(typed, entry) ? { ...entry, value: typed.value } : entry];
    }),
  );
}
