import { statSync } from 'node:fs';
import type { RunEvent } from '../core/model/events.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { sizeText } from '../core/values/text.ts';
import { writeWhole } from '../platform/recorder.ts';
import { endingOf, endingsInWords } from '../reports/endings.ts';
import { loadReport } from '../reports/load-report.ts';
import type { Terminal } from './terminal.ts';

/** Throws UsageError. */
export function refuseUnknownEndings(files: readonly string[]): void {
  const unknown = files.find(file => endingOf(file) === undefined);
  if (unknown !== undefined)
    throw new UsageError(`No report has the ending of '${unknown}'. There are ${endingsInWords}.`);
}

/**
 * Writes a report into each file, in the format of its ending. What keeps one from being written is told and spoils no
 * other.
 * @param events of the record, from its beginning, for each report anew
 * @returns whether all of them are there, whole
 */
export async function writeReports(
  files: readonly string[],
  events: () => AsyncIterable<RunEvent>,
  totals: RunTotals,
  { out, err }: Pick<Terminal, 'err'> & { readonly out?: Terminal['out'] },
): Promise<boolean> {
  let whole = true;
  for (const file of files) {
    try {
      const report = await loadReport(endingOf(file)!);
      await writeWhole(file, report(events(), totals));
      out?.(`${file}, ${sizeText(statSync(file).size)}\n`);
    } catch (error) {
      // Where the record itself cannot be read, no other report can be made of it either.
      if (isUsageError(error)) throw error;
      whole = false;
      err(`The report '${file}' could not be written: ${(error as Error).message}\n`);
    }
  }
  return whole;
}
