import { createHistogram, type RecordableHistogram } from 'node:perf_hooks';
import type { Outcome, RunEvent } from './events.ts';

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
  interrupted = false;
  /** In microseconds. */
  readonly #times: RecordableHistogram = createHistogram();

  add(event: RunEvent): void {
    switch (event.type) {
      case 'exchange':
        this.requests++;
        this.received += event.received;
        if (event.response) this.#times.record(Math.max(1, Math.round(event.times.total * 1000)));
        break;
      case 'check':
        this.checks++;
        if (event.holds === 'yes') this.held++;
        break;
      case 'case':
        this.cases[event.outcome]++;
        break;
      case 'end':
        this.duration = event.time;
        this.interrupted = event.interrupted;
        break;
      default:
    }
  }

  /** The time within which so many percent of the responses were there, in milliseconds; nothing without responses. */
  percentile(percent: number): number | undefined {
    return this.#times.count === 0 ? undefined : this.#times.percentile(percent) / 1000;
  }

  /** Whether everything that was selected passed, and something was checked. */
  get passed(): boolean {
    const { failed, error, blocked } = this.cases;
    return failed + error + blocked === 0 && this.checks > 0 && !this.interrupted;
  }
}
