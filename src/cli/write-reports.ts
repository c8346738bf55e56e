import { statSync } from 'node:fs';
import type { RunEvent } from '../core/model/events.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { sizeText } from '../core/values/text.ts';
import { writeWhole } from '../platform/recorder.ts';
import { binary, type Ending, endingNamed, endingOf, endingsInWords } from '../reports/endings.ts';
import { loadReport } from '../reports/load-report.ts';
import type { Terminal } from './terminal.ts';

/** A report that is asked for, and where it goes. */
export interface Output {
  readonly ending: Ending;
  /** Nothing for standard output. */
  readonly path?: string;
}

/** Reads what stands behind `-o`: a file, whose ending is its format, or `FORMAT:PATH`; `-` is standard output. Throws UsageError. */
export function readOutputs(written: readonly string[] = []): Output[] {
  const outputs = written.map(readOutput);
  if (outputs.filter(({ path }) => path === undefined).length > 1)
    throw new UsageError('One report at a time goes to standard output.');
  return outputs;
}

function readOutput(written: string): Output {
  const [, name = '', rest = ''] = /^([A-Za-z]+):(.*)$/s.exec(written) ?? [];
  const named = endingNamed(name);
  const [ending, path] = named ? [named, rest] : [endingOf(written), written];
  if (path === '') throw new UsageError(`A path is missing behind '${written}'; - is standard output.`);
  if (!ending)
    throw new UsageError(
      written === '-'
        ? 'Standard output has no ending that chooses the format. For example: -o json:-'
        : endingNamed(written)
          ? `A report has a name: -o run${endingNamed(written)}, or -o ${written}:PATH`
          : `No report has the ending of '${written}'. There are ${endingsInWords}; for a path without one: -o html:PATH`,
    );
  if (path !== '-') return { ending, path };
  if (binary.has(ending) && process.stdout.isTTY)
    throw new UsageError(
      `A ${ending.slice(1)} is no text for a terminal. Name a file, or another program: -o ${written} | …`,
    );
  return { ending };
}

/** What is told besides goes to standard error where a report takes standard output. */
export function besideOutputs(outputs: readonly Output[], terminal: Terminal): Terminal {
  if (outputs.every(({ path }) => path !== undefined)) return terminal;
  return { ...terminal, out: terminal.err, paint: terminal.paintErr, live: false };
}

/**
 * Writes reports. What keeps one from being written is told and spoils no other.
 * @param events of the record, from its beginning, for each report anew
 * @param tell told where each one went; nothing where nobody wants to know
 * @returns whether all of them are there, whole
 */
export async function writeReports(
  outputs: readonly Output[],
  events: () => AsyncIterable<RunEvent>,
  totals: RunTotals,
  { err, tell }: Pick<Terminal, 'err'> & { readonly tell?: ((text: string) => void) | undefined },
): Promise<boolean> {
  let whole = true;
  for (const { ending, path } of outputs) {
    try {
      const report = await loadReport(ending);
      const parts = report(events(), totals);
      if (path === undefined) await writeToOutput(parts);
      else {
        await writeWhole(path, parts);
        tell?.(`written  ${path}, ${sizeText(statSync(path).size)}\n`);
      }
    } catch (error) {
      // Where the record itself cannot be read, no other report can be made of it either.
      if (isUsageError(error)) throw error;
      whole = false;
      err(`The report '${path ?? ending.slice(1)}' could not be written: ${(error as Error).message}\n`);
    }
  }
  return whole;
}

/** No faster than it is read: a report may be larger than memory. */
async function writeToOutput(parts: AsyncIterable<string | Uint8Array>): Promise<void> {
  const { stdout } = process;
  for await (const part of parts) {
    if (stdout.destroyed) return;
    if (!stdout.write(part))
      await new Promise(resolve => {
        stdout.once('drain', resolve);
        stdout.once('close', resolve);
      });
  }
}
