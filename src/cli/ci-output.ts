import { appendFileSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Annotation, type CiRun, ciAround, jsonWithoutCommands, withoutCommands } from '../ci/ci-run.ts';
import type { CheckEvent, RunEvent } from '../core/model/events.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted } from '../core/text/words.ts';
import { loadReport } from '../reports/load-report.ts';
import type { Terminal } from './terminal.ts';

/** So many failures are shown at their places: systems take no more of one step. */
const most = 50;

/** What a CI system is told besides what is printed: failures at their places, and a summary. */
export class CiOutput {
  readonly #failures: Annotation[] = [];
  #more = 0;

  private constructor(
    readonly ci: CiRun,
    readonly root: string,
  ) {}

  /** Nothing where no CI system is around, or where it is not to be told anything. */
  static around(root: string, isWanted: boolean): CiOutput | undefined {
    const ci = isWanted ? ciAround(process.env) : undefined;
    return ci && new CiOutput(ci, root);
  }

  onEvent(event: RunEvent): void {
    if (event.type === 'check' && event.holds !== 'yes') this.#add(event.place, event.case, reasonOf(event));
    if (event.type === 'case' && event.problem)
      this.#add(event.problem.place, event.case, event.problem.message);
  }

  #add(
    { file, line }: { readonly file: string; readonly line: number },
    title: string,
    message: string,
  ): void {
    if (this.#failures.length < most)
      this.#failures.push({ file: join(this.root, file), line, title, message });
    else this.#more++;
  }

  /** @param events of the record from its beginning; nothing where there is none */
  async end(events: (() => AsyncIterable<RunEvent>) | undefined, totals: RunTotals): Promise<void> {
    // Its commands go past whatever keeps others from being any.
    const err = (text: string) => process.stderr.write(text);
    const { annotation, summaryFile, summary } = this.ci;
    if (annotation) for (const failure of this.#failures) err(`${annotation(failure)}\n`);
    if (annotation && this.#more > 0)
      err(`${counted(this.#more, 'more failure')} are not shown at their places.\n`);
    if (!events || (summaryFile === undefined && !summary)) return;
    try {
      const report = await loadReport('.md');
      let text = '';
      for await (const part of report(events(), totals)) text += part;
      if (summaryFile !== undefined) appendFileSync(summaryFile, `${text}\n`);
      else {
        const path = join(mkdtempSync(join(tmpdir(), 'mervok-summary-')), 'mervok.md');
        writeFileSync(path, text);
        err(`${summary!(path)}\n`);
      }
    } catch (error) {
      err(`The summary could not be written: ${(error as Error).message}\n`);
    }
  }
}

function reasonOf({ text, label, expected, found, at }: CheckEvent): string {
  const where = at === undefined ? '' : ` at ${at}`;
  const about = label === undefined ? text : `${label}: ${text}`;
  return expected === undefined ? about : `${about}: expected ${expected}, found ${found}${where}`;
}

/** A terminal on which nothing that comes from elsewhere can be a command of the CI system. */
export function guarded(terminal: Terminal, isJson: boolean): Terminal {
  const guard = isJson ? jsonWithoutCommands : withoutCommands;
  return {
    ...terminal,
    out: text => terminal.out(guard(text)),
    err: text => terminal.err(withoutCommands(text)),
  };
}
