import type { CaseEvent, CheckEvent, ExchangeEvent, OperationEvent } from '../../model/events.ts';
import type { FiguredCase, FiguredRounds, FiguresEvent } from '../../model/load-events.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { DefinitionsWatch } from '../definitions-watch.ts';
import { DurationHistogram } from '../duration-histogram.ts';
import { isAnswered, outcomeOf } from '../operations.ts';
import { RequestOutcomes, RequestStatistics } from '../request-statistics.ts';
import type { FiguredIndex } from './figured-parts.ts';

/** In milliseconds: what happens within it is told as one figure. */
const second = 1000;
/** In milliseconds: what begins no later than that began in time. */
const stillInTime = 10;

export interface FiguresSource {
  readonly index: FiguredIndex;
  /** Of Apdex, in milliseconds. */
  readonly threshold: number;
  /** In milliseconds since the run began. */
  readonly now: () => number;
  /** The phases that users are in a round of, whether anything ends or not. */
  readonly phasesAtWork: () => readonly number[];
  /** How many users are in a round of a phase, and the most that were at the same time since it was last asked. */
  readonly users: (phase: number) => { readonly users: number; readonly mostUsers: number };
  readonly tell: (figures: FiguresEvent) => void;
}

/** Counts what happens under load, second by second and phase by phase, in the place of lines for each of it. */
export class FigureGathering {
  readonly #phases = new Map<number, SecondOfPhase>();
  readonly #outcomes = new RequestOutcomes((event, held) => this.#settle(event, held));
  #from = 0;
  /** Of each user, by its number. */
  readonly #phaseOf = new Map<number, number>();

  constructor(readonly source: FiguresSource) {}

  /** @param event of a user that is in a round */
  add(event: OperationEvent | CheckEvent | CaseEvent): void {
    // Looked at with every request, not with every check: the clock takes its time too.
    if (event.type === 'exchange') this.tick();
    this.#outcomes.add(event);
    if (event.type === 'exchange' && event.fault?.kind === 'unsendable') return;
    const phase = this.#open(this.#phaseOf.get(event.user ?? 0) ?? 0);
    switch (event.type) {
      case 'exchange':
        phase.addExchange(event);
        break;
      case 'operation':
        phase.steps++;
        break;
      case 'check':
        phase.checks++;
        if (event.holds === 'yes') phase.held++;
        break;
      default:
        phase.addCase(this.source.index.case(event.case), event);
    }
  }

  /** @param late in milliseconds, where it was due */
  roundBegins(user: number, number: number, late: number | undefined): void {
    this.tick();
    this.#phaseOf.set(user, number);
    const phase = this.#open(number);
    phase.rounds.begun++;
    if (late === undefined) return;
    phase.lateness.add(late);
    if (late > stillInTime) phase.rounds.late = (phase.rounds.late ?? 0) + 1;
  }

  /** @param time in milliseconds, from when it was due; nothing where it was cut off */
  roundEnds(user: number, time: number | undefined): void {
    const phase = this.#open(this.#phaseOf.get(user) ?? 0);
    if (time === undefined) phase.rounds.cutOff = (phase.rounds.cutOff ?? 0) + 1;
    else {
      phase.rounds.ended++;
      phase.roundTimes.add(time);
    }
  }

  due(number: number): void {
    const { rounds } = this.#open(number);
    rounds.due = (rounds.due ?? 0) + 1;
  }

  dropped(number: number, count: number): void {
    if (count === 0) return;
    const { rounds } = this.#open(number);
    rounds.dropped = (rounds.dropped ?? 0) + count;
  }

  /** Tells the second that is over. To be called at least once a second. */
  tick(): void {
    const now = this.source.now();
    if (now >= this.#from + second) this.#close(now);
  }

  /** Tells what has not been told yet. */
  finish(): void {
    this.#close(this.source.now());
  }

  #open(number: number): SecondOfPhase {
    let phase = this.#phases.get(number);
    if (!phase) {
      phase = new SecondOfPhase(number, this.source.threshold);
      this.#phases.set(number, phase);
    }
    return phase;
  }

  #close(now: number): void {
    const from = this.#from;
    this.#from = Math.floor(now / second) * second;
    const lasting = toMicrosecond(Math.max(0, Math.min(second, now - from)));
    for (const number of this.source.phasesAtWork()) this.#open(number);
    const phases = [...this.#phases.values()];
    this.#phases.clear();
    for (const phase of phases) this.source.tell(phase.told(from, lasting, this.source.users(phase.number)));
  }

  #settle(event: ExchangeEvent, held: boolean): void {
    const index = this.source.index.request(event.case, event.place);
    if (index === undefined) return;
    this.#open(this.#phaseOf.get(event.user ?? 0) ?? 0).addRequest(index, event, held);
  }
}

interface RequestOfSecond {
  readonly figures: RequestStatistics;
  readonly answers: Map<string, number>;
}

/** What ended within a second, of what a phase began. */
class SecondOfPhase {
  readonly rounds: FiguredRounds = { begun: 0, ended: 0 };
  readonly lateness = new DurationHistogram();
  readonly roundTimes = new DurationHistogram();
  checks = 0;
  held = 0;
  steps = 0;
  readonly #counts = { reconnects: 0, parts: 0, received: 0 };
  readonly #cases = new Map<number, FiguredCase>();
  readonly #requests = new Map<number, RequestOfSecond>();
  readonly #unlagged = new DurationHistogram();
  readonly #definitions = new DefinitionsWatch();

  constructor(
    readonly number: number,
    readonly threshold: number,
  ) {}

  addExchange(event: ExchangeEvent): void {
    this.#counts.received += event.received;
    if (event.fresh) this.#counts.reconnects++;
    if (event.part) this.#counts.parts++;
    if (event.definition && !event.definition.led) this.#definitions.add(event.definition, event.place);
  }

  addCase(index: number | undefined, { outcome }: CaseEvent): void {
    if (index === undefined) return;
    let known = this.#cases.get(index);
    if (!known) {
      known = { case: index };
      this.#cases.set(index, known);
    }
    known[outcome] = (known[outcome] ?? 0) + 1;
  }

  addRequest(index: number, event: ExchangeEvent, held: boolean): void {
    let known = this.#requests.get(index);
    if (!known) {
      known = { figures: new RequestStatistics(this.threshold), answers: new Map() };
      this.#requests.set(index, known);
    }
    known.figures.add(event, held);
    const answer = outcomeOf(event);
    known.answers.set(answer, (known.answers.get(answer) ?? 0) + 1);
    if (!isAnswered(event)) return;
    const time = (event.whole ?? event.times.total) + (event.late ?? 0);
    this.#unlagged.add(Math.max(0, time - (event.lag ?? 0)));
  }

  told(from: number, lasting: number, users: ReturnType<FiguresSource['users']>): FiguresEvent {
    const { number, rounds, lateness, roundTimes, checks, held, steps } = this;
    const { reconnects, parts, received } = this.#counts;
    const requests = [...this.#requests].sort(([a], [b]) => a - b);
    return {
      type: 'figures',
      from,
      lasting,
      phase: number,
      ...users,
      rounds: lateness.count > 0 ? { ...rounds, lateness: lateness.recorded } : rounds,
      roundTimes: roundTimes.recorded,
      checks,
      held,
      ...(steps > 0 && { steps }),
      ...(reconnects > 0 && { reconnects }),
      ...(parts > 0 && { parts }),
      received,
      cases: [...this.#cases.values()].sort((a, b) => a.case - b.case),
      requests: requests.map(([request, { figures, answers }]) => ({
        request,
        ...figures.figured,
        answers: Object.fromEntries(answers),
      })),
      unlagged: this.#unlagged.recorded,
      ...(this.#definitions.totals.length > 0 && { definitions: [...this.#definitions.totals] }),
    };
  }
}
