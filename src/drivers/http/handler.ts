import type { Exchange, Fault, Header, SentRequest, Times } from '../../core/engine/ports.ts';
import { toMicrosecond } from '../../core/engine/time.ts';
import type { ReceivedResponse } from '../../core/language/response.ts';
import type { Limits, Timeout } from '../../core/settings/transport.ts';
import { elapsed } from '../clock.ts';
import { bodyFault, faultOf, type Phase, timeoutFault } from './fault.ts';
import type { PooledConnection } from './pool.ts';
import {
  BodyMistake,
  type BodyReceiver,
  codingsOf,
  FileReceiver,
  MemoryReceiver,
  type ReceivedBody,
} from './receive.ts';

/** What of a request its exchange needs to know. */
export interface ExchangeOptions {
  readonly timeout: Timeout;
  readonly limits: Limits;
  /** A file that the body goes into, whatever its size. */
  readonly saveTo?: string;
}

/** These are made for every exchange, so without copies. */
type Draft<Type> = { -readonly [Key in keyof Type]: Type[Key] };

const defaultLimit = 30_000;

/** Collects one exchange from the client's callbacks, and watches its limits. */
export class ExchangeHandler {
  readonly #begin = elapsed();
  /** For the whole exchange, and for the phase that it is in. */
  readonly #total: NodeJS.Timeout | undefined;
  #phase: NodeJS.Timeout | undefined;
  #opened: PooledConnection['opened'];
  #sent = 0;
  #answered = 0;
  #abort: (() => void) | undefined;
  #settled = false;
  #status = 0;
  #reason = '';
  #version = '';
  #headers: Header[] = [];
  #interim: { status: number; headers: Header[] }[] | undefined;
  #body: BodyReceiver | undefined;
  #received = 0;

  constructor(
    readonly request: SentRequest,
    readonly options: ExchangeOptions,
    readonly origin: string,
    readonly signal: AbortSignal,
    readonly connection: PooledConnection,
    readonly httpMinor: () => number | undefined,
    /** Told whether nothing came over a connection that was open before: it was closed in between. */
    readonly settle: (exchange: Exchange, stale: boolean) => void,
  ) {
    const { timeout } = options;
    // What goes into a file may take its time once it has begun to come.
    const total = timeout.total ?? (options.saveTo === undefined ? defaultLimit : undefined);
    this.#total = this.#limit('total', total);
    this.#phase = this.#limit('connect', timeout.connect);
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
    if (this.#phase) clearTimeout(this.#phase);
    const { timeout, saveTo } = this.options;
    this.#phase = this.#limit('answer', timeout.answer ?? (saveTo === undefined ? undefined : defaultLimit));
  }

  onHeaders(status: number, rawHeaders: Buffer[], resume: () => void, reason: string): boolean {
    if (this.#settled) return true;
    this.#received += reason.length + 17;
    const headers = this.#readFields(rawHeaders);
    // Interim responses (1xx) come before the final one.
    if (status < 200) {
      this.#interim ??= [];
      this.#interim.push({ status, headers });
      return true;
    }
    this.#answered = elapsed();
    if (this.#phase) clearTimeout(this.#phase);
    this.#status = status;
    this.#reason = reason;
    this.#headers = headers;
    this.#version = this.#versionOf();
    const codings = codingsOf(
      headers.find(([name]) => name.length === 16 && /^content-encoding$/i.test(name))?.[1],
    );
    const { saveTo, limits } = this.options;
    this.#body =
      saveTo === undefined
        ? new MemoryReceiver(codings, limits.body)
        : new FileReceiver(saveTo, codings, resume);
    return true;
  }

  onData(chunk: Buffer): boolean {
    if (this.#settled) return true;
    this.#received += chunk.length;
    try {
      return this.#body!.write(chunk);
    } catch (error) {
      this.#failBody(error);
      return true;
    }
  }

  /** @param trailers as a flat list by HTTP/1, as an object by HTTP/2 */
  onComplete(trailers: Buffer[] | string[] | { [name: string]: string } | null): void {
    if (this.#settled) return;
    const times = this.#times();
    const fields = Array.isArray(trailers)
      ? this.#readFields(trailers as Buffer[])
      : Object.entries(trailers ?? {});
    try {
      const body = this.#body!.end();
      if (body instanceof Promise) {
        // The time limits still count while a body is decoded; the connection is not needed any more.
        this.#abort = undefined;
        body.then(
          each => this.#complete(each, fields, times),
          error => this.#failBody(error),
        );
      } else this.#complete(body, fields, times);
    } catch (error) {
      this.#failBody(error);
    }
  }

  onError(error: Error): void {
    this.fail(faultOf(error, this.origin, this.options.limits.head));
  }

  fail(fault: Fault): void {
    if (this.#settled) return;
    this.#body?.drop();
    this.#finish({ request: this.request, fault, times: this.#times(), received: this.#received });
    this.#abort?.();
  }

  #complete({ body, size, encodedSize }: ReceivedBody, trailers: Header[], times: Times): void {
    if (this.#settled) return;
    const { request } = this;
    const response: Draft<ReceivedResponse> = {
      url: request.url,
      status: this.#status,
      reason: this.#reason,
      version: this.#version,
      headers: this.#headers,
      body,
      size,
      time: times.total,
    };
    if (encodedSize !== undefined) response.encodedSize = encodedSize;
    if (trailers.length > 0) response.trailers = trailers;
    this.#finish({ request, response, times, received: this.#received });
  }

  #versionOf(): string {
    const { facts } = this.connection;
    if (facts?.protocol === 'HTTP/2') return facts.protocol;
    return this.httpMinor() === 0 ? 'HTTP/1.0' : 'HTTP/1.1';
  }

  #readFields(raw: readonly Buffer[]): Header[] {
    const fields: Header[] = [];
    for (let at = 0; at < raw.length; at += 2) {
      const [name, value] = [raw[at]!, raw[at + 1]!];
      fields.push([name.toString('latin1'), value.toString('latin1')]);
      this.#received += name.length + value.length + 4;
    }
    return fields;
  }

  #failBody(error: unknown): void {
    const { origin } = this;
    const { limits } = this.options;
    if (error instanceof BodyMistake) this.fail(bodyFault(error, origin, limits.body));
    else
      this.fail({
        kind: 'unsendable',
        message: `The body could not be written to '${this.options.saveTo}': ${(error as Error).message}.`,
      });
  }

  readonly #interrupt = (): void => {
    this.fail({ kind: 'interrupted', message: 'The run was interrupted before the response was there.' });
  };

  #limit(phase: Phase, milliseconds: number | undefined): NodeJS.Timeout | undefined {
    if (milliseconds === undefined) return undefined;
    return setTimeout(() => this.fail(timeoutFault(phase, milliseconds, this.origin)), milliseconds);
  }

  #times(): Times {
    const end = elapsed();
    const times: Draft<Times> = { ...this.#opened, total: toMicrosecond(end - this.#begin) };
    if (this.#answered > 0) {
      times.wait = toMicrosecond(this.#answered - this.#sent);
      times.download = toMicrosecond(end - this.#answered);
    }
    return times;
  }

  #finish(exchange: Draft<Exchange>): void {
    this.#settled = true;
    clearTimeout(this.#total);
    if (this.#phase) clearTimeout(this.#phase);
    this.signal.removeEventListener('abort', this.#interrupt);
    const { facts } = this.connection;
    if (this.#sent > 0 && facts)
      exchange.connection = this.#version === 'HTTP/1.0' ? { ...facts, protocol: this.#version } : facts;
    if (this.#interim) exchange.interim = this.#interim;
    const untouched = this.#sent > 0 && this.#opened === undefined && this.#received === 0;
    this.settle(exchange, untouched);
  }
}
