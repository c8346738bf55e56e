import type { ChildProcess } from 'node:child_process';

/**
 * Sends a signal to a program at a random moment: counted from its first request, so that a slow start spoils none; every
 * fifth time from its start.
 * @param most in milliseconds
 */
export class RandomMoment {
  #send: (() => void) | undefined;
  #times = 0;

  constructor(
    readonly signal: NodeJS.Signals,
    readonly most: number,
    readonly next: (limit: number) => number,
  ) {}

  /** Before every run. */
  readonly arm = (child: ChildProcess): void => {
    this.#send = () => setTimeout(() => child.kill(this.signal), this.next(this.most));
    if (++this.#times % 5 === 0) this.onRequest();
  };

  /** To be called by the server. */
  onRequest(): void {
    this.#send?.();
    this.#send = undefined;
  }
}
