import type { EndedLoad, FiguresEvent } from '../../model/load-events.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { DurationHistogram } from '../duration-histogram.ts';
import { RoundCounts } from './round-counts.ts';

/** What a run with load came to besides what every run does. What it holds does not grow with the run. */
export class LoadTotals {
  readonly rounds = new RoundCounts();
  /** How late rounds began that were due. */
  readonly lateness = new DurationHistogram();
  /** How long answers took, and the same less the time that Mervok itself was late to read them. */
  readonly times = new DurationHistogram();
  readonly unlagged = new DurationHistogram();
  /** Of the warm-up, which counts for nothing: the cases that did not pass. */
  badInWarmUp = 0;

  add({ phase, rounds, requests, unlagged, cases }: FiguresEvent): void {
    if (phase === 0) {
      for (const { failed = 0, error = 0, blocked = 0 } of cases)
        this.badInWarmUp += failed + error + blocked;
      return;
    }
    this.rounds.add(rounds);
    if (rounds.lateness) this.lateness.addRecorded(rounds.lateness);
    for (const { times } of requests) this.times.addRecorded(times);
    this.unlagged.addRecorded(unlagged);
  }

  /** For the end of the record. */
  get ended(): EndedLoad {
    const { due, begun, ended, late, dropped, cutOff } = this.rounds;
    const { ownLimit, badInWarmUp } = this;
    return {
      rounds: {
        ...(due > 0 && { due }),
        begun,
        ended,
        ...(late > 0 && { late }),
        ...(this.lateness.count > 0 && { lateness: this.lateness.recorded }),
        ...(dropped > 0 && { dropped }),
        ...(cutOff > 0 && { cutOff }),
      },
      ...(badInWarmUp > 0 && { badInWarmUp }),
      ...(ownLimit && { ownLimit }),
    };
  }

  /** The percentile that Mervok itself has made longer than it was, by more than it is told exactly to. */
  get ownLimit(): EndedLoad['ownLimit'] {
    for (const percent of [50, 95]) {
      const told = this.times.percentile(percent);
      const without = this.unlagged.percentile(percent);
      if (told === undefined || without === undefined) return undefined;
      if (told - without > leastTold && told - without > told * leastShare)
        return { percent, told: toMicrosecond(told), without: toMicrosecond(without) };
    }
    return undefined;
  }
}

/** In milliseconds, and as a share: what is less tells nothing of the service. */
const leastTold = 1;
const leastShare = 0.02;
