import type { CaseEvent, ExchangeEvent, Payload, RunEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { LineFile } from '../platform/line-file.ts';
import type { Terminal } from './terminal.ts';

/** A file of what was sent and what came, a JSON object a line; with the bodies where the case did not pass. */
export class ExchangeLog {
  readonly #file: LineFile;
  /** Of each user: the exchanges of the case that it is at. */
  readonly #open = new Map<number, ExchangeEvent[]>();

  /** Throws UsageError. */
  constructor(
    path: string,
    readonly terminal: Terminal,
  ) {
    try {
      this.#file = new LineFile(path, 'w');
    } catch (error) {
      throw new UsageError(`The log cannot be written: ${(error as Error).message}`);
    }
  }

  onEvent(event: RunEvent): void {
    if (event.type !== 'exchange' && event.type !== 'case') return;
    const user = event.user ?? 0;
    const exchanges = this.#open.get(user) ?? [];
    if (event.type === 'exchange') {
      exchanges.push(event);
      this.#open.set(user, exchanges);
    } else {
      for (const exchange of exchanges) this.#file.add(JSON.stringify(lineOf(exchange, event)));
      this.#open.delete(user);
    }
  }

  close(): void {
    this.#file.finish();
    if (this.#file.problem !== undefined) this.terminal.err(`The log is not whole: ${this.#file.problem}\n`);
  }
}

function lineOf(exchange: ExchangeEvent, { outcome }: CaseEvent) {
  const { at, round, user, row, request, response, fault, times, received, cause } = exchange;
  return {
    at: new Date(at).toISOString(),
    case: exchange.case,
    round,
    user,
    row,
    cause,
    method: request.method,
    url: request.url,
    status: response?.status,
    fault: fault?.kind,
    milliseconds: times.total,
    sent: request.body?.size ?? 0,
    received,
    outcome,
    ...(outcome !== 'passed' &&
      outcome !== 'skipped' && {
        requestBody: bodyOf(request.body),
        responseBody: bodyOf(response?.body),
        message: fault?.message,
      }),
  };
}

function bodyOf(body: Payload | undefined): string | undefined {
  return body?.text ?? body?.base64;
}
