import type { EventOf, HeldTotals, RunEvent } from '../model/events.ts';
import type { EndedLoad, FiguresEvent } from '../model/load-events.ts';
import { type Outcome, outcomes, type Stop } from '../model/outcomes.ts';
import type { Place } from '../model/place.ts';
import { type BoundResult, BoundsWatch } from './bounds-watch.ts';
import { DefinitionsWatch } from './definitions-watch.ts';
import { DurationHistogram } from './duration-histogram.ts';
import { LoadTotals } from './load/load-totals.ts';
import { defaultApdex } from './request-statistics.ts';

/** The figures of a run, counted while it goes; what it holds does not grow with the run. */
export class RunTotals {
  readonly cases: { [outcome in Outcome]: number } = {
    passed: 0,
    failed: 0,
    error: 0,
    blocked: 0,
    skipped: 0,
  };
  requests = 0;
  /** Of them, those that were sent once more over a fresh connection. */
  reconnects = 0;
  /** Queries, commands and scripts. */
  steps = 0;
  checks = 0;
  held = 0;
  /** Bytes received. */
  received = 0;
  /** In milliseconds. */
  duration = 0;
  /** How late the program itself was, in milliseconds, where that was measured. */
  lag: number | undefined;
  /** What ended the run before everything had run. */
  stopped: Stop | undefined;
  /** Of a condition that ended it: what it was, and what was found. */
  because: string | undefined;
  /** What of the run is missing, as sentences. */
  missing: readonly string[] = [];
  /** What was begun by a machine that was lost, and run again by another; as sentences. */
  leftBehind: readonly string[] = [];
  /** Cases that blocked others; known where each case runs once. */
  readonly #causes = new Set<string>();
  #repeats = false;
  /** Of a run with load, which its figures tell; the lines of its record are a sample. */
  #load: LoadTotals | undefined;
  readonly #times = new DurationHistogram();
  #watch: BoundsWatch | undefined;
  readonly #definitions = new DefinitionsWatch();
  /** Examples that responses were not like, as FILE:LINE. */
  readonly #outdated = new Set<string>();
  /** What became of the bounds of the run; known at its end. */
  bounds: readonly BoundResult[] = [];
  /** What its end says of a run that this has not heard the events of. */
  #fromEnd: EventOf<'end'>['totals'] | undefined;

  /** The figures of a run as the end of its record tells them: nothing else of it has to be read. */
  static at({
    totals: recorded,
    time,
    stopped,
    because,
    missing = [],
    leftBehind = [],
    lag,
    bounds = [],
  }: EventOf<'end'>): RunTotals {
    const { cases, checks, held, requests, received, reconnects = 0, steps = 0 } = recorded;
    const totals = new RunTotals();
    Object.assign(totals, {
      checks,
      held,
      requests,
      reconnects,
      steps,
      received,
      duration: time,
      stopped,
      because,
      missing,
      leftBehind,
      lag,
      bounds,
    });
    Object.assign(totals.cases, cases);
    totals.#fromEnd = recorded;
    return totals;
  }

  add(event: RunEvent): void {
    this.#watch?.add(event);
    if (this.#load && event.type !== 'end') {
      if (event.type === 'figures') this.#addFigures(event, this.#load);
      return;
    }
    switch (event.type) {
      case 'run':
        this.#repeats =
          event.rounds !== 1 ||
          event.users !== undefined ||
          event.rows !== undefined ||
          event.load !== undefined;
        if (event.load) this.#load = new LoadTotals();
        if (event.bounds)
          this.#watch = new BoundsWatch(event.bounds, event.apdex ?? defaultApdex, event.load);
        break;
      case 'operation':
        this.steps++;
        break;
      case 'exchange':
        // What could not be sent was no request.
        if (event.fault?.kind === 'unsendable') break;
        this.requests++;
        if (event.definition && !event.definition.led) this.#definitions.add(event.definition, event.place);
        if (event.example) this.#outdated.add(inWordsOf(event.example.place));
        if (event.fresh) this.reconnects++;
        this.received += event.received;
        if (event.response !== undefined && !event.part) this.#times.add(event.whole ?? event.times.total);
        break;
      case 'check':
        this.checks++;
        if (event.holds === 'yes') this.held++;
        break;
      case 'case':
        this.cases[event.outcome]++;
        if (event.blocked && event.outcome === 'blocked' && !this.#repeats)
          this.#causes.add(event.blocked.cause);
        break;
      case 'end':
        this.duration = event.time;
        this.stopped = event.stopped;
        this.because = event.because;
        this.missing = event.missing ?? [];
        this.leftBehind = event.leftBehind ?? [];
        this.lag = event.lag;
        this.bounds = this.boundsAfter(event.time);
        break;
      default:
    }
  }

  #addFigures(figures: FiguresEvent, load: LoadTotals): void {
    load.add(figures);
    // What happens before anything is measured warms up; it counts for nothing.
    if (figures.phase === 0) return;
    this.checks += figures.checks;
    this.held += figures.held;
    this.steps += figures.steps ?? 0;
    this.reconnects += figures.reconnects ?? 0;
    this.received += figures.received;
    this.requests += figures.parts ?? 0;
    for (const { count, times } of figures.requests) {
      this.requests += count;
      this.#times.addRecorded(times);
    }
    for (const counts of figures.cases)
      for (const outcome of outcomes) this.cases[outcome] += counts[outcome] ?? 0;
    for (const each of figures.definitions ?? []) this.#definitions.addTotals(each);
  }

  /** For the end of the record. */
  get recorded(): EventOf<'end'>['totals'] {
    const { cases, checks, held, requests, received, p50, p95, causes } = this;
    return {
      cases: { ...cases },
      checks,
      held,
      requests,
      ...(this.reconnects > 0 && { reconnects: this.reconnects }),
      ...(this.steps > 0 && { steps: this.steps }),
      received,
      ...(p50 !== undefined && p95 !== undefined && { p50, p95 }),
      ...(causes !== undefined && { causes }),
      ...(this.definitions.length > 0 && { definitions: [...this.definitions] }),
      ...(this.outdated && { outdated: this.outdated }),
      ...(this.load && { load: this.load }),
    };
  }

  /** What became of holding exchanges to definitions of an API. */
  get definitions(): readonly HeldTotals[] {
    return this.#fromEnd ? (this.#fromEnd.definitions ?? []) : this.#definitions.totals;
  }

  /** Examples that responses were not like; nothing where there is none. */
  get outdated(): EventOf<'end'>['totals']['outdated'] {
    if (this.#fromEnd) return this.#fromEnd.outdated;
    const { size: count } = this.#outdated;
    return count === 0 ? undefined : { count, places: [...this.#outdated].slice(0, mostPlaces) };
  }

  /** What a run with load came to besides; nothing where it is none. */
  get load(): EndedLoad | undefined {
    return this.#fromEnd ? this.#fromEnd.load : this.#load?.ended;
  }

  /** How many of the cases that did not pass blocked others; nothing where cases run more than once. */
  get causes(): number | undefined {
    if (this.#fromEnd) return this.#fromEnd.causes;
    return this.#repeats ? undefined : this.#causes.size;
  }

  /** The time within which half of the responses were there, in milliseconds; nothing without responses. */
  get p50(): number | undefined {
    return this.#fromEnd ? this.#fromEnd.p50 : this.#times.percentile(50);
  }

  /** The same for 95 of 100. */
  get p95(): number | undefined {
    return this.#fromEnd ? this.#fromEnd.p95 : this.#times.percentile(95);
  }

  /** @param duration of the run so far, in milliseconds */
  boundsAfter(duration: number): readonly BoundResult[] {
    return [...(this.#watch?.results(duration) ?? []), ...this.#definitions.unheld()];
  }

  /** Those that are not kept. */
  get exceeded(): readonly BoundResult[] {
    return this.bounds.filter(({ holds }) => holds !== 'yes');
  }

  /** Whether everything that was selected passed, something was checked, and every bound is kept. */
  get passed(): boolean {
    const { failed, error, blocked } = this.cases;
    const clean = failed + error + blocked === 0 && this.exceeded.length === 0;
    return clean && this.checks > 0 && this.stopped === undefined && this.missing.length === 0;
  }
}

/** So many places are told one by one. */
const mostPlaces = 20;

function inWordsOf({ file, line }: Place): string {
  return `${file}:${line}`;
}

/** The figures of events that have happened already. */
export async function totalsOf(events: AsyncIterable<RunEvent>): Promise<RunTotals> {
  const totals = new RunTotals();
  for await (const event of events) totals.add(event);
  return totals;
}
