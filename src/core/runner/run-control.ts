import type { Stop } from '../model/outcomes.ts';
import type { Ports } from './ports.ts';

/** How far a run may go: what has ended it, and what ends the request that is being waited for. */
export class RunControl {
  readonly #ender = new AbortController();
  /** Ends what is being waited for. */
  readonly signal = this.#ender.signal;
  readonly #over = new AbortController();
  /** Ends waiting for what is to begin, which is nothing any more. */
  readonly overSignal = this.#over.signal;
  readonly #outer: AbortSignal;
  readonly #onInterrupt = () => this.stop('interrupt');
  #stopped: Stop | undefined;
  #isCutOff = false;

  constructor(outer: AbortSignal) {
    // Every user waits for something of its own.
    process.getBuiltinModule('node:events').setMaxListeners(0, this.signal);
    this.#outer = outer;
    if (outer.aborted) this.#onInterrupt();
    else outer.addEventListener('abort', this.#onInterrupt);
  }

  /** Whether nothing more is to be begun. */
  get isOver(): boolean {
    return this.#stopped !== undefined || this.#isCutOff;
  }

  /** What ended the run before everything had run. */
  get stopped(): Stop | undefined {
    return this.#stopped;
  }

  /** The first reason counts. A failure lets what has begun come to its end. */
  stop(reason: Stop): void {
    this.#stopped ??= reason;
    if (reason !== 'failure' && reason !== 'condition') this.#ender.abort();
    this.#over.abort();
  }

  /** Ends what still goes on where all that was to begin has begun. */
  cutOff(): void {
    this.#isCutOff = true;
    this.#over.abort();
    this.#ender.abort();
  }

  /** @param milliseconds after which the run is ended, if it still goes on */
  limit(milliseconds: number, ports: Pick<Ports, 'sleep'>): () => void {
    const over = new AbortController();
    void ports.sleep(milliseconds, over.signal).then(() => {
      if (!over.signal.aborted) this.stop('timeout');
    });
    return () => over.abort();
  }

  close(): void {
    this.#outer.removeEventListener('abort', this.#onInterrupt);
  }
}
