import type { ExchangeEvent, RunEvent } from '../model/events.ts';
import type { FiguredRequest } from '../model/load-events.ts';
import { ByUser } from './by-user.ts';
import { DurationHistogram } from './duration-histogram.ts';
import { isAnswered } from './operations.ts';

/** In milliseconds: within it a user is satisfied, where the settings say nothing else. */
export const defaultApdex = 500;

/** What is told of a group of requests: those of one case, of a stretch of time, of a whole run. */
export class RequestStatistics {
  requests = 0;
  /** Requests that got no answer, or whose checks do not all hold. */
  failed = 0;
  /** Bytes. */
  received = 0;
  readonly times = new DurationHistogram();
  /** With load: the same from when requests were sent, where rounds were due and began late. */
  sent: DurationHistogram | undefined;
  #satisfied = 0;
  #tolerating = 0;

  /** @param threshold of Apdex, in milliseconds */
  constructor(readonly threshold: number) {}

  add(event: ExchangeEvent, held: boolean): void {
    const { times, whole, received, late } = event;
    this.requests++;
    this.received += received;
    if (!held) this.failed++;
    if (!isAnswered(event)) return;
    const own = whole ?? times.total;
    // How late a round began is the time of somebody who waited for it.
    const time = late === undefined ? own : own + late;
    if (late !== undefined) this.sent ??= copyOf(this.times);
    this.times.add(time);
    this.sent?.add(own);
    if (!held) return;
    if (time <= this.threshold) this.#satisfied++;
    else if (time <= 4 * this.threshold) this.#tolerating++;
  }

  merge(other: RequestStatistics): void {
    this.requests += other.requests;
    this.failed += other.failed;
    this.received += other.received;
    if (other.sent) this.sent ??= copyOf(this.times);
    this.times.merge(other.times);
    this.sent?.merge(other.sent ?? other.times);
    this.#satisfied += other.#satisfied;
    this.#tolerating += other.#tolerating;
  }

  /** What was counted elsewhere. */
  addFigured({ count, failed, received, times, sent, satisfied, tolerating }: FiguredRequest): void {
    this.requests += count;
    this.failed += failed;
    this.received += received;
    if (sent) this.sent ??= copyOf(this.times);
    this.times.addRecorded(times);
    this.sent?.addRecorded(sent ?? times);
    this.#satisfied += satisfied;
    this.#tolerating += tolerating;
  }

  /** For a record. */
  get figured(): Omit<FiguredRequest, 'request' | 'answers'> {
    const { requests: count, failed, received, times, sent } = this;
    return {
      count,
      failed,
      received,
      times: times.recorded,
      ...(sent && { sent: sent.recorded }),
      satisfied: this.#satisfied,
      tolerating: this.#tolerating,
    };
  }

  /**
   * From 0 to 1: those served within the threshold, and half of those within four times of it, of all requests; what
   * failed counts as not served (Apdex Technical Specification 1.1).
   */
  get apdex(): number | undefined {
    return this.requests === 0 ? undefined : (this.#satisfied + this.#tolerating / 2) / this.requests;
  }

  /** From 0 to 1. */
  get errorRate(): number | undefined {
    return this.requests === 0 ? undefined : this.failed / this.requests;
  }
}

function copyOf(times: DurationHistogram): DurationHistogram {
  const copy = new DurationHistogram();
  copy.merge(times);
  return copy;
}

/** Tells of each request once it is known whether everything that was asked of its answer holds. */
export class RequestOutcomes {
  /** Of each user: the operation whose checks may still come. */
  readonly #open = new ByUser<{ last: OpenOperation | undefined }>(() => ({ last: undefined }));

  constructor(readonly settle: (event: ExchangeEvent, held: boolean) => void) {}

  add(event: RunEvent): void {
    switch (event.type) {
      case 'operation':
        // What is checked below it is no longer about the request above.
        if (!event.beside) this.#close(this.#open.of(event));
        break;
      case 'exchange':
        this.#close(this.#open.of(event));
        // What could not be sent was no request; what only led to one is counted with it.
        if (event.fault?.kind !== 'unsendable' && !event.part)
          this.#open.of(event).last = { event, asked: false, broken: false };
        break;
      case 'check': {
        const { last } = this.#open.of(event);
        if (!last) break;
        last.asked = true;
        if (event.holds !== 'yes') last.broken = true;
        break;
      }
      case 'case':
        this.#close(this.#open.of(event));
        break;
      case 'end':
        for (const open of this.#open.all) this.#close(open);
        break;
      default:
    }
  }

  #close(open: { last: OpenOperation | undefined }): void {
    const { last } = open;
    if (!last) return;
    open.last = undefined;
    // That no answer comes may be just what was to be checked.
    this.settle(last.event, !last.broken && (last.event.fault === undefined || last.asked));
  }
}

interface OpenOperation {
  readonly event: ExchangeEvent;
  asked: boolean;
  broken: boolean;
}
