import type { ExchangeEvent } from '../model/events.ts';
import type { FiguresEvent } from '../model/load-events.ts';
import { DurationHistogram } from './duration-histogram.ts';
import { isAnswered, outcomeOf } from './operations.ts';

/** A stretch of time of a run, and the requests that ended in it. */
export interface Stretch {
  readonly times: DurationHistogram;
  requests: number;
  failed: number;
  /** Bytes. */
  received: number;
  /** Requests by what came: a status, or the kind of a fault. */
  readonly answers: Map<string, number>;
  /** With load: rounds that were due, and what became of rounds. */
  rounds?: StretchOfRounds;
}

export interface StretchOfRounds {
  due: number;
  begun: number;
  ended: number;
  late: number;
  dropped: number;
}

/** In milliseconds: figures of a load are told by the second. */
const second = 1000;

/** In milliseconds; each divides the next, so that stretches can be added up to longer ones without a remainder. */
const steps = [10, 50, 100, 500, 1000, 5000, 10_000, 30_000, 60_000, 300_000, 600_000, 1_800_000, 3_600_000];
/** So many stretches make a drawing that can be read. */
const most = 90;
const fewest = 12;
/** And so many requests in each of them a percentile. */
const wanted = 8;

/**
 * What happened when. How long the stretches are follows from how long the run is, which nobody knows while it goes:
 * they begin short, and are added up to longer ones whenever there are too many.
 */
export class Timeline {
  #stretches: Stretch[] = [];
  #level = 0;
  /** Of each user: when it began with its first request, and when it was done with the last; from the start. */
  readonly #active = new Map<number, { from: number; to: number }>();

  /** With load: how many users were at work in each second; nothing where it is none. */
  #users: number[] | undefined;

  /** With load: when its phases begin, and what they are called. */
  phases: readonly { readonly at: number; readonly name: string }[] = [];

  /** When the last request ended, from the start. */
  #end = 0;

  /** @param start of the run, in milliseconds since 1970 */
  constructor(readonly start: number) {}

  add(event: ExchangeEvent, held: boolean): void {
    const { at, times, user = 0, received } = event;
    const begin = Math.max(0, at - this.start);
    const end = begin + times.total;
    const active = this.#active.get(user);
    if (!active) this.#active.set(user, { from: begin, to: end });
    else active.to = Math.max(active.to, end);
    this.#end = Math.max(this.#end, end);
    const stretch = this.#at(end);
    stretch.requests++;
    stretch.received += received;
    if (!held) stretch.failed++;
    if (isAnswered(event)) stretch.times.add(times.total);
    const answer = outcomeOf(event);
    stretch.answers.set(answer, (stretch.answers.get(answer) ?? 0) + 1);
  }

  /** What a load came to in a second. */
  addFigures({ from, lasting, phase, users, rounds, requests }: FiguresEvent): void {
    this.#users ??= [];
    while (this.step < second) this.#coarsen();
    const at = Math.floor((from + lasting / 2) / second);
    this.#users[at] = (this.#users[at] ?? 0) + users;
    this.#end = Math.max(this.#end, from + lasting);
    const stretch = this.#at(from + lasting / 2);
    const { due = 0, begun, ended, late = 0, dropped = 0 } = rounds;
    addRounds(stretch, { due, begun, ended, late, dropped });
    // What is sent to warm up is measured by nobody.
    for (const { count, failed, received, times, answers } of phase > 0 ? requests : []) {
      stretch.requests += count;
      stretch.failed += failed;
      stretch.received += received;
      stretch.times.addRecorded(times);
      for (const [answer, number] of Object.entries(answers))
        stretch.answers.set(answer, (stretch.answers.get(answer) ?? 0) + number);
    }
  }

  /** How long each stretch is, in milliseconds. */
  get step(): number {
    return steps[this.#level] ?? steps.at(-1)! * 2 ** (this.#level - steps.length + 1);
  }

  get stretches(): readonly Stretch[] {
    return this.#stretches;
  }

  /** In milliseconds: how long a stretch is; the last one ends with the last request, but tells no rate of an instant. */
  lengthOf(index: number): number {
    return Math.max(this.step / 2, Math.min(this.step, this.#end - index * this.step));
  }

  /** From the start to the end of the last request, in milliseconds. */
  get length(): number {
    return this.#end;
  }

  /** How many users were at work in a stretch. */
  usersIn(index: number): number {
    const [from, to] = [index * this.step, (index + 1) * this.step];
    if (this.#users)
      return Math.max(0, ...this.#users.slice(from / second, to / second).map(each => each ?? 0));
    let count = 0;
    for (const active of this.#active.values()) if (active.from < to && active.to >= from) count++;
    return count;
  }

  /** Where there are few requests, a stretch is to hold more than one or two of them: what is drawn then says something. */
  gather(): void {
    const all = this.#stretches.reduce((sum, { requests }) => sum + requests, 0);
    while (this.#stretches.length > fewest && all / this.#stretches.length < wanted) this.#coarsen();
  }

  #at(offset: number): Stretch {
    while (Math.floor(offset / this.step) >= most) this.#coarsen();
    const index = Math.floor(offset / this.step);
    while (this.#stretches.length <= index) this.#stretches.push(emptyStretch());
    return this.#stretches[index]!;
  }

  #coarsen(): void {
    const before = this.step;
    this.#level++;
    const joined = Math.round(this.step / before);
    const coarse: Stretch[] = [];
    for (const [index, stretch] of this.#stretches.entries()) {
      const at = Math.floor(index / joined);
      coarse[at] ??= emptyStretch();
      addUp(coarse[at], stretch);
    }
    this.#stretches = coarse;
  }
}

function emptyStretch(): Stretch {
  return { times: new DurationHistogram(), requests: 0, failed: 0, received: 0, answers: new Map() };
}

function addUp(into: Stretch, { times, requests, failed, received, answers, rounds }: Stretch): void {
  into.times.merge(times);
  into.requests += requests;
  into.failed += failed;
  into.received += received;
  if (rounds) addRounds(into, rounds);
  for (const [answer, count] of answers) into.answers.set(answer, (into.answers.get(answer) ?? 0) + count);
}

function addRounds(into: Stretch, { due, begun, ended, late, dropped }: StretchOfRounds): void {
  into.rounds ??= { due: 0, begun: 0, ended: 0, late: 0, dropped: 0 };
  into.rounds.due += due;
  into.rounds.begun += begun;
  into.rounds.ended += ended;
  into.rounds.late += late;
  into.rounds.dropped += dropped;
}
