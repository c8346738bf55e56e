import { lengthOfLoad } from '../../language/load/load.ts';
import type { FiguredCase, FiguresEvent, RecordedLoad, RecordedPhase } from '../../model/load-events.ts';
import { type Outcome, outcomes } from '../../model/outcomes.ts';
import { DurationHistogram } from '../duration-histogram.ts';
import { RequestStatistics } from '../request-statistics.ts';
import { RoundCounts } from './round-counts.ts';

/** So many parts of a run can be told apart. */
const marksOfRun = 200;

export type CaseMark = 'ran' | 'bad' | undefined;

/** What became of a phase of a load. */
export interface PhaseStatistics {
  readonly phase: RecordedPhase;
  /** In milliseconds since the run began. */
  readonly begin: number;
  readonly figures: RequestStatistics;
  readonly rounds: RoundCounts;
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
  readonly cases = new Map<string, { [outcome in Outcome]?: number }>();
  /** Cases that did not pass. */
  bad = 0;
  readonly #usersAt = new Map<string, number>();
  readonly #marks = new Map<string, CaseMark[]>();
  /** In milliseconds, of each mark. */
  readonly #step: number;

  constructor(
    readonly recorded: RecordedLoad,
    threshold: number,
  ) {
    this.#step = Math.max(1000, lengthOfLoad(recorded) / marksOfRun);
    let begin = 0;
    this.phases = recorded.phases.flatMap(phase => {
      const own = begin;
      begin += phase.lasting;
      return phase.number === 0 ? [] : [beginPhase(phase, own, threshold)];
    });
  }

  /** @param figures of none but a phase with a number */
  add({ from, phase: number, mostUsers, rounds, roundTimes, cases, requests }: FiguresEvent): void {
    this.#addCases(cases, from);
    const phase = this.phases.find(each => each.phase.number === number);
    if (!phase) return;
    phase.rounds.add(rounds);
    phase.roundTimes.addRecorded(roundTimes);
    if (rounds.lateness) phase.lateness.addRecorded(rounds.lateness);
    for (const each of requests) phase.figures.addFigured(each);
    for (const { passed = 0, failed = 0, error = 0, blocked = 0 } of cases) {
      phase.cases += passed + failed + error + blocked;
      phase.bad += failed + error + blocked;
    }
    // Threads and machines tell of the same second one after the other.
    const key = `${number} ${Math.round(from / 1000)}`;
    const atWork = (this.#usersAt.get(key) ?? 0) + mostUsers;
    this.#usersAt.set(key, atWork);
    phase.mostUsers = Math.max(phase.mostUsers, atWork);
  }

  /** When a case ended, in so many equal parts of a run that took so long, in milliseconds. */
  marksOf(address: string, time: number): CaseMark[] {
    const own = this.#marks.get(address) ?? [];
    return Array.from({ length: marksOfRun }, (_, index) => {
      const [from, to] = [index, index + 1].map(each => (each * time) / marksOfRun / this.#step) as [
        number,
        number,
      ];
      const within = own.slice(Math.floor(from), Math.max(Math.floor(from) + 1, Math.ceil(to)));
      return within.includes('bad') ? 'bad' : within.includes('ran') ? 'ran' : undefined;
    });
  }

  #addCases(cases: readonly FiguredCase[], from: number): void {
    for (const { case: place, ...counts } of cases) {
      const named = this.recorded.cases[place];
      if (!named) continue;
      const known = this.cases.get(named.case) ?? {};
      for (const outcome of outcomes) {
        const count = counts[outcome];
        if (count !== undefined) known[outcome] = (known[outcome] ?? 0) + count;
      }
      this.cases.set(named.case, known);
      const { failed = 0, error = 0, blocked = 0 } = counts;
      this.bad += failed + error;
      const marks = this.#marks.get(named.case) ?? [];
      this.#marks.set(named.case, marks);
      const at = Math.floor(from / this.#step);
      if (failed + error > 0) marks[at] = 'bad';
      else if (blocked === 0) marks[at] ??= 'ran';
    }
  }
}

function beginPhase(phase: RecordedPhase, begin: number, threshold: number): PhaseStatistics {
  return {
    phase,
    begin,
    figures: new RequestStatistics(threshold),
    rounds: new RoundCounts(),
    roundTimes: new DurationHistogram(),
    lateness: new DurationHistogram(),
    cases: 0,
    bad: 0,
    mostUsers: 0,
  };
}

/** When phases begin, in milliseconds since the run did, and what they are called where there is little room. */
export function beginsOf({ phases }: Pick<RecordedLoad, 'phases'>): { at: number; name: string }[] {
  let begin = 0;
  return phases.map(({ number, label, lasting }) => {
    const at = begin;
    begin += lasting;
    return { at, name: number === 0 ? 'warm-up' : (label ?? String(number)) };
  });
}
