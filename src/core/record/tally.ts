import type { Outcome, RunEvent } from './events.ts';
import type { Stop } from './outcomes.ts';

type Histogram = ReturnType<typeof import('node:perf_hooks').createHistogram>;

/** Up to so many times are kept as they are; a histogram takes the place of more. */
const keptTimes = 1000;

/** Response times in microseconds. A short run has exact percentiles and does not load what makes histograms. */
class Times {
  #few: number[] = [];
  #many: Histogram | undefined;

  add(microseconds: number): void {
    if (this.#many) this.#many.record(microseconds);
    else if (this.#few.push(microseconds) > keptTimes) {
      this.#many = process.getBuiltinModule('node:perf_hooks').createHistogram();
      for (const each of this.#few) this.#many.record(each);
      this.#few = [];
    }
  }

  percentile(percent: number): number | undefined {
    if (this.#many) return this.#many.percentile(percent);
    return this.#few.toSorted((a, b) => a - b)[
      Math.max(0, Math.ceil((percent / 100) * this.#few.length) - 1)
    ];
  }
}

/** The figures of a run, counted while it goes; what it holds does not grow with the run. */
export class Tally {
  readonly cases: { [outcome in Outcome]: number } = {
    passed: 0,
    failed: 0,
    error: 0,
    blocked: 0,
    skipped: 0,
  };
  requests = 0;
  checks = 0;
  held = 0;
  /** Bytes received. */
  received = 0;
  /** In milliseconds. */
  duration = 0;
  /** What ended the run before everything had run. */
  stopped: Stop | undefined;
  /** Cases that blocked others; known where each case runs once. */
  readonly #causes = new Set<string>();
  #repeats = false;
  readonly #times = new Times();

  add(event: RunEvent): void {
    switch (event.type) {
      case 'run':
        this.#repeats = event.rounds !== 1 || event.users !== undefined || event.rows !== undefined;
        break;
      case 'exchange':
        // What could not be sent was no request.
        if (event.fault?.kind === 'unsendable') break;
        this.requests++;
        this.received += event.received;
        if (event.response) this.#times.add(Math.max(1, Math.round(event.times.total * 1000)));
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
        break;
      default:
    }
  }

  /** For the end of the record. */
  get totals(): Extract<RunEvent, { type: 'end' }>['totals'] {
    const { cases, checks, held, requests, received } = this;
    return { cases: { ...cases }, checks, held, requests, received };
  }

  /** How many of the cases that did not pass blocked others; nothing where cases run more than once. */
  get causes(): number | undefined {
    return this.#repeats ? undefined : this.#causes.size;
  }

  /** The time within which so many percent of the responses were there, in milliseconds; nothing without responses. */
  percentile(percent: number): number | undefined {
    const microseconds = this.#times.percentile(percent);
    return microseconds === undefined ? undefined : microseconds / 1000;
  }

  /** Whether everything that was selected passed, and something was checked. */
  get passed(): boolean {
    const { failed, error, blocked } = this.cases;
    return failed + error + blocked === 0 && this.checks > 0 && this.stopped === undefined;
  }
}
