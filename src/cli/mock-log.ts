import { UsageError } from '../core/model/usage-error.ts';
import { secretName } from '../core/secrecy/secret-names.ts';
import { decodedQuery } from '../core/stand-in/target-pattern.ts';
import { durationText } from '../core/values/text.ts';
import { LineFile } from '../platform/line-file.ts';
import type { Served } from '../platform/stand-in/http-server.ts';
import { visible } from '../reports/style.ts';
import type { Terminal } from './terminal.ts';

/** So much of a target is shown. */
const longest = 200;

/** A line for each request, on the terminal and in a file. What may be a secret is in neither. */
export class MockLog {
  readonly #file: LineFile | undefined;

  /** Throws UsageError. */
  constructor(
    readonly flags: { readonly log?: string; readonly quiet?: boolean },
    readonly terminal: Terminal,
    /** Names in queries whose values are keys, as they are now. */
    readonly keyNames: () => ReadonlySet<string>,
  ) {
    try {
      if (flags.log !== undefined) this.#file = new LineFile(flags.log, 'w');
    } catch (error) {
      throw new UsageError(`The log cannot be written: ${(error as Error).message}`);
    }
  }

  add({ request, answer, at, took }: Served): void {
    const { out, paint } = this.terminal;
    if (!this.flags.quiet) {
      const status = answer.status === 0 ? answer.reason : String(answer.status);
      const isBad = answer.from === undefined;
      const from = answer.from === undefined ? '' : `  ${paint('quiet', answer.from)}`;
      const target = visible(this.#shown(request.target));
      out(
        `${paint(isBad ? 'failed' : 'plain', status.padEnd(7))}  ${visible(request.method)} ${target}${from}  ${paint('quiet', durationText(took))}\n`,
      );
    }
    this.#file?.add(
      JSON.stringify({
        at: new Date(at).toISOString(),
        case: answer.from,
        method: request.method,
        url: this.#shown(request.target),
        status: answer.status === 0 ? undefined : answer.status,
        fault: answer.status === 0 ? answer.reason : undefined,
        milliseconds: Math.round(took * 1000) / 1000,
        sent: Buffer.byteLength(request.body.text),
      }),
    );
  }

  close(): void {
    this.#file?.finish();
    if (this.#file?.problem !== undefined) this.terminal.err(`The log is not whole: ${this.#file.problem}\n`);
  }

  /** A target without what may be a key in its query. */
  #shown(target: string): string {
    const keys = this.keyNames();
    const isKey = (name: string) =>
      keys.has(name) || secretName.test(name) || /(?:^|[-_.])(?:key|auth|sig|signature|code)$/i.test(name);
    const masked = target.replace(/([?&])([^=&]*)=([^&]*)/g, (pair, mark, name) =>
      isKey(decodedQuery(name)) ? `${mark}${name}=[secret]` : pair,
    );
    return masked.length > longest ? `${masked.slice(0, longest)} …` : masked;
  }
}
