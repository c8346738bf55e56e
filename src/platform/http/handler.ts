import type {
  Exchange,
  Fault,
  Header,
  ReceivedResponse,
  SentRequest,
  Timings,
} from '../../core/model/http-messages.ts';
import { defaultTimeout, type HttpLimits, type Timeout } from '../../core/settings/transport.ts';
import { toMicrosecond } from '../../core/text/to-microsecond.ts';
import { elapsed } from '../clock.ts';
import { bodyFault, faultOf, interimFault, type Phase, timeoutFault } from './fault.ts';
import type { Invitation } from './framing.ts';
import { OtherVersion, type PooledConnection } from './pool.ts';
import {
  BodyError,
  type BodyReceiver,
  codingsOf,
  FileReceiver,
  MemoryReceiver,
  type ReceivedBody,
} from './receive.ts';
import type { Watch, Watched } from './time-watch.ts';

/** What of a request its exchange needs to know. */
export interface ExchangeOptions {
  readonly timeout: Timeout;
  readonly limits: HttpLimits;
  /** A file that the body goes into, whatever its size. */
  readonly saveTo?: string;
}

export interface ExchangeConnection {
  readonly connection: PooledConnection;
  readonly watch: Watch;
  /** Of a body that waits until it is wanted. */
  readonly invitation?: Invitation;
  /** The second digit of the version, as the parser of the connection read it. */
  readonly httpMinor: () => number | undefined;
}

/** These are made for every exchange, so without copies. */
type Draft<Type> = { -readonly [Key in keyof Type]: Type[Key] };

/** So many interim responses may come before the final one. */
const mostInterim = 100;

/** Collects one exchange from the client's callbacks, and watches its limits. */
export class ExchangeHandler implements Watched {
  readonly origin: string;
  readonly watch: Watch;
  readonly #at = Date.now();
  readonly #begin = elapsed();
  /** When the whole exchange has to be over, and the phase that it is in. */
  /** Among those that are watched. */
  place = 0;
  readonly #end: number;
  #phase: Phase = 'connect';
  #phaseEnd: number;
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
    readonly over: ExchangeConnection,
    /** Told whether nothing came over a connection that was open before: it was closed in between. */
    readonly settle: (exchange: Exchange, stale: boolean) => void,
  ) {
    this.origin = over.connection.route.origin;
    this.watch = over.watch;
    this.#end = this.#begin + this.#limitOf('total');
    this.#phaseEnd = this.#begin + this.#limitOf('connect');
    if (over.watch.signal.aborted) this.onInterrupt();
    else this.watch.add(this);
  }

  get deadline(): number {
    return Math.min(this.#end, this.#phaseEnd);
  }

  onDeadline(): void {
    const phase = this.#phaseEnd <= this.#end ? this.#phase : 'total';
    this.fail(timeoutFault(phase, this.#limitOf(phase), this.origin));
  }

  onInterrupt(): void {
    this.fail({ kind: 'interrupted', message: 'The run was interrupted before the response was there.' });
  }

  // Called by the client, in this order.

  onConnect(abort: (error?: Error) => void): void {
    if (this.#settled) {
      abort();
      return;
    }
    this.#abort = abort;
    this.#opened = this.over.connection.opened;
    this.over.connection.opened = undefined;
    this.#sent = elapsed();
    this.#phase = 'answer';
    this.#phaseEnd = this.#sent + this.#limitOf('answer');
    this.watch.expect(this);
  }

  onHeaders(status: number, rawHeaders: Buffer[], resume: () => void, reason: string): boolean {
    if (this.#settled) return true;
    this.#received += reason.length + 17;
    const headers = this.#readFields(rawHeaders);
    // Interim responses (1xx) come before the final one.
    if (status < 200) {
      this.#interim ??= [];
      this.#interim.push({ status, headers });
      if (status === 100) this.over.invitation?.answer(true);
      // They come before any head, so what a head may take is what they may take together.
      if (this.#interim.length > mostInterim || this.#received > this.options.limits.head)
        this.fail(interimFault(this.origin, this.#interim.length, this.options.limits.head));
      return true;
    }
    this.#answered = elapsed();
    this.#phaseEnd = Number.POSITIVE_INFINITY;
    this.#status = status;
    this.#reason = reason;
    this.#headers = headers;
    this.#version = this.#versionOf();
    const codings = codingsOf(
      headers.find(([name]) => name.length === 16 && name.toLowerCase() === 'content-encoding')?.[1],
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
    const { route, passedOnBy } = this.over.connection;
    const fault = faultOf(error, this.origin, this.options.limits.head, passedOnBy?.origin);
    const asked =
      route.protocol === '2' && fault.kind === 'protocol' && !(error instanceof OtherVersion)
        ? " Does it speak HTTP/2, which the setting 'http' asks for?"
        : '';
    this.fail(asked === '' ? fault : { ...fault, message: fault.message + asked });
  }

  fail(fault: Fault): void {
    if (this.#settled) return;
    this.#body?.drop();
    this.#finish({ request: this.request, fault, times: this.#times(), received: this.#received });
    this.#abort?.();
  }

  #complete({ body, size, encodedSize }: ReceivedBody, trailers: Header[], times: Timings): void {
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
    const { facts } = this.over.connection;
    if (facts?.protocol === 'HTTP/2') return facts.protocol;
    return this.over.httpMinor() === 0 ? 'HTTP/1.0' : 'HTTP/1.1';
  }

  #readFields(raw: readonly Buffer[]): Header[] {
    const fields: Header[] = [];
    if (raw.length === 0) return fields;
    const head = textAround(raw);
    const begin = raw[0]!.byteOffset;
    const textOf = (piece: Buffer) => {
      if (head === undefined) return piece.toString('latin1');
      const at = piece.byteOffset - begin;
      return head.slice(at, at + piece.length);
    };
    for (let at = 0; at < raw.length; at += 2) {
      const [name, value] = [raw[at]!, raw[at + 1]!];
      fields.push([textOf(name), withoutBlanksBehind(textOf(value))]);
      this.#received += name.length + value.length + 4;
    }
    return fields;
  }

  #failBody(error: unknown): void {
    const { origin } = this;
    const { limits } = this.options;
    if (error instanceof BodyError) this.fail(bodyFault(error, origin, limits.body));
    else
      this.fail({
        kind: 'unsendable',
        message: `The body could not be written to '${this.options.saveTo}': ${(error as Error).message}.`,
      });
  }

  /** In milliseconds. What goes into a file may take its time once it has begun to come. */
  #limitOf(phase: Phase): number {
    const { timeout, saveTo } = this.options;
    const limited = saveTo === undefined ? 'total' : 'answer';
    return timeout[phase] ?? (phase === limited ? defaultTimeout : Number.POSITIVE_INFINITY);
  }

  #times(): Timings {
    const end = elapsed();
    // The clock stands still between the phases: what happens there is not the server's.
    if (this.#sent === 0) return { total: toMicrosecond(end - this.#begin) };
    const { lookup = 0, connect = 0, tls = 0 } = this.#opened ?? {};
    const times: Draft<Timings> = { ...this.#opened, total: 0 };
    if (this.#answered > 0) {
      times.wait = toMicrosecond(this.#answered - this.#sent);
      times.download = toMicrosecond(end - this.#answered);
    } else times.wait = toMicrosecond(end - this.#sent);
    times.total = toMicrosecond(lookup + connect + tls + times.wait + (times.download ?? 0));
    return times;
  }

  #finish(exchange: Draft<Exchange>): void {
    this.#settled = true;
    this.watch.delete(this);
    this.over.invitation?.answer(false);
    const { facts } = this.over.connection;
    exchange.at = this.#at;
    if (this.#sent > 0 && facts)
      exchange.connection = this.#version === 'HTTP/1.0' ? { ...facts, protocol: this.#version } : facts;
    if (this.#interim) exchange.interim = this.#interim;
    const untouched = this.#sent > 0 && this.#opened === undefined && this.#received === 0;
    this.settle(exchange, untouched);
  }
}

/** Blanks around the value of a field are not part of it (RFC 9112, 5.1); the parser leaves those behind it. */
function withoutBlanksBehind(value: string): string {
  const last = value.charCodeAt(value.length - 1);
  return last === 0x20 || last === 0x09 ? value.replace(/[ \t]+$/, '') : value;
}

/**
 * What stands from the first to the last of pieces of bytes, where they lie in one stretch, in order. The client cuts the
 * head of a response out of what came in one go; a text of its own for every piece takes several times as long.
 */
function textAround(pieces: readonly Buffer[]): string | undefined {
  const { buffer, byteOffset: begin } = pieces[0]!;
  let end = begin;
  for (const piece of pieces) {
    if (piece.buffer !== buffer || piece.byteOffset < end) return undefined;
    end = piece.byteOffset + piece.length;
  }
  return Buffer.from(buffer, begin, end - begin).toString('latin1');
}
