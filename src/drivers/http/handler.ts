import type { Exchange, Fault, OutgoingRequest, Times } from '../../core/engine/ports.ts';
import { toMicrosecond } from '../../core/engine/time.ts';
import { elapsed } from '../clock.ts';
import { faultOf, type Phase, timeoutFault } from './fault.ts';

export interface ConnectionTimes {
  readonly lookup?: number;
  readonly connect: number;
  readonly tls?: number;
}

const defaultTotal = 30_000;
const nothing = Buffer.alloc(0);

/** Collects one exchange from the client's callbacks, and watches its time limits. */
export class ExchangeHandler {
  readonly #begin = elapsed();
  readonly #timers: NodeJS.Timeout[] = [];
  #opened: ConnectionTimes | undefined;
  #sent = 0;
  #answered = 0;
  #abort: (() => void) | undefined;
  #settled = false;
  #status = 0;
  #reason = '';
  #headers: [string, string][] = [];
  #chunks: Buffer[] = [];
  #received = 0;

  constructor(
    readonly request: OutgoingRequest,
    readonly origin: string,
    /** Where the connection tells how long its opening took, once. */
    readonly connection: { opened?: ConnectionTimes | undefined },
    readonly signal: AbortSignal,
    readonly settle: (exchange: Exchange) => void,
  ) {
    this.#limit('total', request.timeout.total ?? defaultTotal);
    this.#limit('connect', request.timeout.connect);
    if (signal.aborted) this.#interrupt();
    else signal.addEventListener('abort', this.#interrupt);
  }

  // Called by the client, in this order.

  onConnect(abort: (error?: Error) => void): void {
    if (this.#settled) {
      abort();
      return;
    }
    this.#abort = abort;
    this.#opened = this.connection.opened;
    this.connection.opened = undefined;
    this.#sent = elapsed();
    if (this.#timers.length > 1) this.#clearTimers(1);
    this.#limit('answer', this.request.timeout.answer);
  }

  onHeaders(status: number, rawHeaders: Buffer[], _resume: () => void, reason: string): boolean {
    this.#answered = elapsed();
    if (this.#timers.length > 1) this.#clearTimers(1);
    // Interim responses (1xx) come before the final one.
    this.#headers = [];
    this.#status = status;
    this.#reason = reason;
    this.#received += reason.length + 17;
    for (let at = 0; at < rawHeaders.length; at += 2) {
      const [name, value] = [rawHeaders[at]!, rawHeaders[at + 1]!];
      this.#headers.push([name.toString('latin1'), value.toString('latin1')]);
      this.#received += name.length + value.length + 4;
    }
    return true;
  }

  onData(chunk: Buffer): boolean {
    this.#chunks.push(chunk);
    this.#received += chunk.length;
    return true;
  }

  onComplete(): void {
    if (this.#settled) return;
    const times = this.#times();
    const body =
      this.#chunks.length === 1
        ? this.#chunks[0]!
        : this.#chunks.length === 0
          ? nothing
          : Buffer.concat(this.#chunks);
    const response = {
      url: this.request.url,
      status: this.#status,
      reason: this.#reason,
      headers: this.#headers,
      body,
      time: times.total,
    };
    this.#finish({ response, times, received: this.#received });
  }

  onError(error: Error): void {
    this.fail(faultOf(error, this.origin));
  }

  fail(fault: Fault): void {
    if (this.#settled) return;
    this.#finish({ fault, times: this.#times(), received: this.#received });
    this.#abort?.();
  }

  readonly #interrupt = (): void => {
    this.fail({ kind: 'interrupted', message: 'The run was interrupted before the response was there.' });
  };

  #limit(phase: Phase, milliseconds: number | undefined): void {
    if (milliseconds === undefined) return;
    this.#timers.push(
      setTimeout(() => this.fail(timeoutFault(phase, milliseconds, this.origin)), milliseconds),
    );
  }

  #clearTimers(from: number): void {
    for (const timer of this.#timers.splice(from)) clearTimeout(timer);
  }

  #times(): Times {
    const end = elapsed();
    return {
      ...this.#opened,
      ...(this.#answered > 0 && {
        wait: toMicrosecond(this.#answered - this.#sent),
        download: toMicrosecond(end - this.#answered),
      }),
      total: toMicrosecond(end - this.#begin),
    };
  }

  #finish(exchange: Exchange): void {
    this.#settled = true;
    this.#clearTimers(0);
    this.signal.removeEventListener('abort', this.#interrupt);
    this.settle(exchange);
  }
}
