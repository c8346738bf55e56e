import type { FiguredCase, FiguresEvent, RecordedLoad, RecordedPhase } from '../../model/load-events.ts';
import { outcomes } from '../../model/outcomes.ts';
import { DurationHistogram } from '../duration-histogram.ts';
import { RequestStatistics } from '../request-statistics.ts';

/** What became of a phase of a load. */
export interface PhaseStatistics {
  readonly phase: RecordedPhase;
  /** In milliseconds since the run began. */
  readonly begin: number;
  readonly figures: RequestStatistics;
  readonly rounds: {
    due: number;
    begun: number;
    ended: number;
    late: number;
    dropped: number;
    cutOff: number;
  };
  /** From when they were due, or from when they began. */
  readonly roundTimes: DurationHistogram;
  /** How late rounds began that were due. */
  readonly lateness: DurationHistogram;
  /** Those that were not skipped, and of them those that did not pass. */
  cases: number;
  bad: number;
  /** The most that were at work at the same time. */
  mostUsers: number;
}

/** How a run with load was served, phase by phase, and how its cases ended. The warm-up is none of the phases. */
export class LoadStatistics {
  readonly phases: readonly PhaseStatistics[];
  /** By the address of the case. */
  readonly cases = new Map<string, Omit<FiguredCase, 'case'>>();
  readonly #usersAt = new Map<string, number>();

  constructor(
    readonly recorded: RecordedLoad,
    threshold: number,
  ) {
    let begin = 0;
    this.phases = recorded.phases.flatMap(phase => {
      const own = begin;
      begin += phase.lasting;
      return phase.number === 0 ? [] : [beginPhase(phase, own, threshold)];
    });
  }

  /** @param figures of none but a phase with a number */
  add({ from, phase: number, users, rounds, roundTimes, cases, requests }: FiguresEvent): void {
    this.#addCases(cases);
    const phase = this.phases.find(each => each.phase.number === number);
    if (!phase) return;
    const { due = 0, begun, ended, late = 0, dropped = 0, cutOff = 0, lateness } = rounds;
    phase.rounds.due += due;
    phase.rounds.begun += begun;
    phase.rounds.ended += ended;
    phase.rounds.late += late;
    phase.rounds.dropped += dropped;
    phase.rounds.cutOff += cutOff;
    phase.roundTimes.addRecorded(roundTimes);
    if (lateness) phase.lateness.addRecorded(lateness);
    for (const each of requests) phase.figures.addFigured(each);
    for (const { passed = 0, failed = 0, error = 0, blocked = 0 } of cases) {
      phase.cases += passed + failed + error + blocked;
      phase.bad += failed + error + blocked;
    }
    // Threads and machines tell of the same second one after the other.
    const key = `${number} ${Math.round(from / 1000)}`;
    const atWork = (this.#usersAt.get(key) ?? 0) + users;
    this.#usersAt.set(key, atWork);
    phase.mostUsers = Math.max(phase.mostUsers, atWork);
  }

  #addCases(cases: readonly FiguredCase[]): void {
    for (const { case: at, ...counts } of cases) {
      const named = this.recorded.cases[at];
      if (!named) continue;
      const known = this.cases.get(named.case) ?? {};
      for (const outcome of outcomes) {
        const count = counts[outcome];
        if (count !== undefined) known[outcome] = (known[outcome] ?? 0) + count;
      }
      this.cases.set(named.case, known);
    }
  }
}

function beginPhase(phase: RecordedPhase, begin: number, threshold: number): PhaseStatistics {
  return {
    phase,
    begin,
    figures: new RequestStatistics(threshold),
    rounds: { due: 0, begun: 0, ended: 0, late: 0, dropped: 0, cutOff: 0 },
    roundTimes: new DurationHistogram(),
    lateness: new DurationHistogram(),
    cases: 0,
    bad: 0,
    mostUsers: 0,
  };
}
