import type { CaseEvent, OperationEvent, Payload, RunEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { CaseGrouping } from '../core/record/case-grouping.ts';
import { viewOf } from '../core/record/operations.ts';
import { LineFile } from '../platform/line-file.ts';
import type { Terminal } from './terminal.ts';

/** A file of what was sent and what came, a JSON object a line; with the bodies where the case did not pass. */
export class ExchangeLog {
  readonly #file: LineFile;
  readonly #grouping = new CaseGrouping(event => event.type !== 'check');

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
    const ended = this.#grouping.add(event);
    for (const operation of ended?.operations ?? [])
      this.#file.add(JSON.stringify(lineOf(operation, ended!.event)));
  }

  close(): void {
    this.#file.finish();
    if (this.#file.problem !== undefined) this.terminal.err(`The log is not whole: ${this.#file.problem}\n`);
  }
}

function lineOf(operation: OperationEvent, { outcome }: CaseEvent) {
  const { at, round, user, row, fault, times, received, cause } = operation;
  const { verb, target, body, answer, texts } = viewOf(operation);
  return {
    at: new Date(at).toISOString(),
    case: operation.case,
    round,
    user,
    row,
    cause,
    method: verb,
    url: target,
    status: answer?.code,
    fault: fault?.kind,
    milliseconds: times.total,
    sent: body?.size ?? 0,
    received,
    outcome,
    ...(outcome !== 'passed' &&
      outcome !== 'skipped' && {
        requestBody: bodyOf(body),
        responseBody: bodyOf(answer?.body),
        ...Object.fromEntries(texts.map(({ name, body: text }) => [name, bodyOf(text)])),
        message: fault?.message,
      }),
  };
}

function bodyOf(body: Payload | undefined): string | undefined {
  return body?.text ?? body?.base64;
}
