import { kindsIn, type Plan, type PlannedCase } from '../core/analysis/plan.ts';
import type { ExchangeEvent, RunEvent } from '../core/model/events.ts';
import type { Exchange } from '../core/model/http-messages.ts';
import type { Ports } from '../core/runner/ports.ts';
import { run } from '../core/runner/run.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { addContents, exchangeEvent } from '../core/steps/http/exchange-event.ts';
import type { HttpPort, OutgoingRequest, Sent } from '../core/steps/http/http-port.ts';
import { durationText } from '../core/values/text.ts';
import { signalAfter } from '../platform/clock.ts';
import { openPorts } from '../platform/ports.ts';
import { version } from '../platform/version.ts';
import { blockedInWords } from '../reports/cases.ts';
import { exitCodes } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import type { Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface SingleRequestOptions {
  /** A file that the body goes into. */
  readonly saveTo: string | undefined;
  /** Whether cases that are needed are told of. */
  readonly tellsNeeded: boolean;
  /** Whether it stands on the command line rather than on a page. */
  readonly isGiven: boolean;
  /** In milliseconds: how long all of it may take. */
  readonly timeout: number | undefined;
}

/** Carries out a case and what it needs, and keeps hold of what its last request came to. */
export class SingleRequest {
  readonly masker = new Masker();
  #last: Sent | undefined;
  /** Ends all of it where a case takes longer than it may. */
  #limit: AbortSignal | undefined;
  #ended = 0;
  #checks = { made: 0, held: 0 };
  readonly #all: number;

  constructor(
    readonly prepared: Prepared,
    readonly asked: PlannedCase,
    readonly terminal: Terminal,
    readonly options: SingleRequestOptions,
  ) {
    this.#all = prepared.plan.pages.reduce((sum, page) => sum + page.cases.length, 0);
  }

  /** What the last request took; nothing where no response came, which is told. */
  async run(): Promise<Sent | undefined> {
    const { prepared, masker } = this;
    const { isGiven, timeout } = this.options;
    const interrupt = listenForInterrupt();
    // Of a request of the command line it is a setting.
    if (!isGiven && timeout !== undefined) this.#limit = signalAfter(timeout);
    const ports = await openPorts(prepared.places, kindsIn(prepared.plan));
    const { http } = ports.operations;
    const watched: Ports = {
      ...ports,
      operations: {
        ...ports.operations,
        http: { ...http, send: (request, signal) => this.#send(http, request, signal) },
      },
    };
    const options: RunOptions = {
      tool: `mervok ${version}`,
      bodies: false,
      signal: this.#limit ? AbortSignal.any([interrupt.signal, this.#limit]) : interrupt.signal,
      masker,
    };
    try {
      await run(firstOnly(prepared.plan, this.asked), watched, options, event => this.#onEvent(event));
    } finally {
      interrupt.stop();
      await ports.close();
    }
    if (interrupt.signal.aborted) process.exitCode = exitCodes.interrupted;
    else if (this.#limit?.aborted && !this.#last?.exchanges.at(-1)?.response) this.#giveUp();
    return this.#last;
  }

  get checks(): { readonly made: number; readonly held: number } {
    return this.#checks;
  }

  /** The exchange as the record would have it, with its whole body. */
  eventOf(exchange: Exchange): ExchangeEvent {
    const source = { round: 1, case: this.asked.address };
    const event = exchangeEvent(source, { place: this.asked.place, at: Date.now() }, exchange);
    addContents(event, exchange, {
      most: Number.MAX_SAFE_INTEGER,
      redacted: this.prepared.plan.redacted.headers,
    });
    return this.masker.deep(event);
  }

  async #send(http: HttpPort, request: OutgoingRequest, signal: AbortSignal): Promise<Sent> {
    const isAsked = this.#ended === this.#all - 1;
    const { saveTo } = this.options;
    const saved = isAsked && saveTo !== undefined ? { ...request, saveTo } : request;
    const sent = await http.send(saved, signal);
    if (isAsked) this.#last = sent;
    return sent;
  }

  /** Whether something has run that the case needs. */
  get toldNeeded(): boolean {
    return this.options.tellsNeeded && this.#all > 1;
  }

  #onEvent(event: RunEvent): void {
    const { out, err, paint } = this.terminal;
    if (event.type === 'check' && event.case === this.asked.address) {
      this.#checks.made++;
      if (event.holds === 'yes') this.#checks.held++;
    }
    if (event.type !== 'case') return;
    const isLast = !event.row || event.row.number === event.row.total;
    if (isLast) this.#ended++;
    const isAsked = event.case === this.asked.address;
    const isFine = event.outcome === 'passed' || (event.outcome === 'skipped' && event.row !== undefined);
    if (!isAsked && isFine && !isLast) return;
    if (!isAsked && isFine) {
      if (this.options.tellsNeeded) out(`${paint('quiet', `first    ${event.case}`)}\n`);
      return;
    }
    const came = this.#last?.exchanges.at(-1);
    if (isAsked && came?.response) return;
    this.#last = undefined;
    process.exitCode = exitCodes.failed;
    // That is told at the end, for all that there was to do.
    if (this.#limit?.aborted) return;
    const message = event.problem?.message ?? (isAsked ? came?.fault?.message : undefined);
    const mend = isAsked && came ? this.#mendOf(came) : '';
    if (message !== undefined) err(`${this.masker.text(message)}${mend}\n`);
    else if (event.blocked)
      err(`${event.case} cannot be sent: ${blockedInWords(event.blocked, event.blocked.cause)}.\n`);
    else err(`${neededInWords(event.case, event.outcome)}\n`);
  }

  #giveUp(): void {
    this.#last = undefined;
    process.exitCode = exitCodes.failed;
    const after = durationText(this.options.timeout!);
    this.terminal.err(`Given up after ${after} (--timeout), before the response was there.\n`);
  }

  /** The option that gets over what has kept an answer out. */
  #mendOf({ fault }: Exchange): string {
    const { isGiven, timeout } = this.options;
    if (fault?.kind === 'limit' && fault.message.startsWith('The body'))
      return ' -o FILE takes a body of any size.';
    if (!isGiven) return '';
    if (fault?.kind === 'timeout')
      return timeout === undefined ? ' For this request alone: --timeout DURATION.' : '';
    return fault?.kind === 'tls' ? ` For this request alone: ${trustFor(fault.message)}.` : '';
  }
}

/** What is told of a case that another one needs, and that did not pass. */
export function neededInWords(address: string, outcome: string): string {
  return `${address}, which is needed, ${outcome}; mervok run ${address} says why.`;
}

/** Of a case that runs for each row or item, the first one is carried out. */
export function firstOnly(plan: Plan, asked: PlannedCase): Plan {
  const once = (each: PlannedCase): PlannedCase =>
    each === asked && each.each ? { ...each, each: { ...each.each, most: 1 } } : each;
  return {
    ...plan,
    pages: plan.pages.map(page => ({
      ...page,
      ...(page.rows && { rows: { ...page.rows, most: 1 } }),
      cases: page.cases.map(once),
    })),
  };
}

function trustFor(message: string): string {
  if (message.includes('{ cert:')) return '--cert FILE and --key FILE';
  return message.includes('{ ca:') ? '--ca FILE, or --unverified' : '--unverified';
}
