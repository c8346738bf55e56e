import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Collection } from '../core/analysis/collection.ts';
import { examineExamples } from '../core/examples/examine-examples.ts';
import { type Proposal, proposeExamples } from '../core/examples/propose-example.ts';
import { putExample } from '../core/examples/put-example.ts';
import type { Finding } from '../core/model/finding.ts';
import { Source } from '../core/model/source.ts';
import type { PassedCase } from '../core/runner/run-options.ts';
import { counted } from '../core/text/words.ts';
import { writeWhole } from '../platform/recorder.ts';
import type { Prepared } from './prepare.ts';
import { type ExampleOutput, type RunFlags, runCommand } from './run.ts';
import type { Terminal } from './terminal.ts';
import { watch } from './watch.ts';

/** Runs, and writes into the pages what came: where a request has no example, and in the place of those that are out of date. */
export function runWritingExamples(
  paths: readonly string[],
  flags: RunFlags,
  terminal: Terminal,
): Promise<void> {
  return runCommand(paths, flags, terminal, {
    watch: async () => watch,
    openExamples: prepared => ExampleWriter.open(prepared),
  });
}

class ExampleWriter implements ExampleOutput {
  /** Of each page, by the line of the request. */
  readonly #proposals = new Map<string, Map<number, Proposal>>();

  /** A case that runs for several rows is looked at with the first. */
  readonly #seen = new Set<PassedCase['planned']>();

  readonly #contradicted: ReadonlySet<string>;

  private constructor(contradicted: ReadonlySet<string>) {
    this.#contradicted = contradicted;
  }

  static async open({ plan, flow }: Prepared): Promise<ExampleWriter> {
    const findings = await examineExamples(plan, flow);
    return new ExampleWriter(new Set(findings.filter(isContradiction).map(whereOf)));
  }

  readonly onAnswers = async (passed: PassedCase): Promise<void> => {
    if (this.#seen.has(passed.planned)) return;
    this.#seen.add(passed.planned);
    for (const proposal of await proposeExamples(passed, example =>
      this.#contradicted.has(whereOf(example)),
    )) {
      const { file, line } = proposal.place;
      const ofPage = this.#proposals.get(file) ?? new Map<number, Proposal>();
      this.#proposals.set(file, ofPage);
      ofPage.set(line, proposal);
    }
  };

  async write({ root, flow: { collection } }: Prepared, { out, err }: Terminal): Promise<boolean> {
    let whole = true;
    let count = 0;
    for (const [file, proposals] of this.#proposals) {
      const { text, written, refused } = putAll(file, join(root, file), proposals, collection);
      for (const { line, why } of refused) err(`No example for ${file}:${line}: ${why}.\n`);
      if (written === 0) continue;
      try {
        await writeWhole(join(root, file), [text]);
        out(`written  ${counted(written, 'example')} into ${file}\n`);
        count += written;
      } catch (error) {
        whole = false;
        err(`No example could be written into ${file}: ${(error as Error).message}\n`);
      }
    }
    if (count === 0) out('No example had to be written.\n');
    return whole;
  }
}

function isContradiction({ code }: Finding): boolean {
  return code === 'example-contradicts';
}

function whereOf({ source, range }: Pick<Finding, 'source' | 'range'>): string {
  return `${source.file}:${range.start}`;
}

interface PutExamples {
  readonly text: string;
  readonly written: number;
  readonly refused: readonly { readonly line: number; readonly why: string }[];
}

/** Puts examples into the text of a page, from the last one up, so that the lines above stay what they are. */
function putAll(
  file: string,
  path: string,
  proposals: ReadonlyMap<number, Proposal>,
  { pages }: Collection,
): PutExamples {
  let text = readFileSync(path, 'utf8');
  const source = pages.find(({ page }) => page.source.file === file)!.page.source;
  const hasChanged = new Source(file, text).text !== source.text;
  const refused: { line: number; why: string }[] = [];
  let written = 0;
  for (const [line, { edit, refusal }] of [...proposals].sort(([a], [b]) => b - a)) {
    const put = edit && !hasChanged ? putExample(file, text, edit) : undefined;
    if (put !== undefined) {
      text = put;
      written++;
    } else {
      const why = hasChanged
        ? 'the page has changed since the run began'
        : 'the page would say something else with it';
      refused.unshift({ line, why: refusal ?? why });
    }
  }
  return { text, written, refused };
}
