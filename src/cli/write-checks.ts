import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Source } from '../core/model/source.ts';
import { type CheckEdit, putChecks } from '../core/suggest/put-checks.ts';
import { counted } from '../core/text/words.ts';
import { writeWhole } from '../platform/recorder.ts';
import type { RequestSuggestions } from '../reports/suggestions-text.ts';
import { exitCodes } from './exit.ts';
import type { Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** Checks that are to stand below a request, and how many there are. */
interface CountedEdit extends CheckEdit {
  readonly count: number;
}

/**
 * Puts what is proposed into the pages. What cannot be written is told, and is an exit code.
 * @param linesOf how checks stand in a page
 */
export async function writeChecks(
  { root, flow: { collection } }: Prepared,
  all: readonly RequestSuggestions[],
  linesOf: (checks: RequestSuggestions['checks']) => string[],
  { out, err }: Pick<Terminal, 'out' | 'err'>,
): Promise<void> {
  let count = 0;
  for (const [file, edits] of editsOf(all, linesOf)) {
    const path = join(root, file);
    const text = readFileSync(path, 'utf8');
    const { source } = collection.pages.find(({ page }) => page.source.file === file)!.page;
    const put =
      new Source(file, text).text === source.text
        ? putAll(file, text, edits)
        : {
            text,
            written: 0,
            refused: edits.map(({ line }) => ({ line, why: 'the page has changed meanwhile' })),
          };
    for (const { line, why } of put.refused) {
      err(`No checks for ${file}:${line}: ${why}.\n`);
      process.exitCode = exitCodes.unfinished;
    }
    if (put.written === 0) continue;
    try {
      await writeWhole(path, [put.text]);
      out(`written  ${counted(put.written, 'check')} into ${file}\n`);
      count += put.written;
    } catch (error) {
      err(`No check could be written into ${file}: ${(error as Error).message}\n`);
      process.exitCode = exitCodes.unfinished;
    }
  }
  if (count === 0) out('No check had to be written.\n');
}

/** By page, from the last request up, so that the lines above stay what they are. */
function editsOf(
  all: readonly RequestSuggestions[],
  linesOf: (checks: RequestSuggestions['checks']) => string[],
): Map<string, CountedEdit[]> {
  const files = new Map<string, CountedEdit[]>();
  for (const { place, checks } of all) {
    if (checks.length === 0) continue;
    const at = place.lastIndexOf(':');
    const file = place.slice(0, at);
    const edits = files.get(file) ?? [];
    files.set(file, edits);
    edits.push({ line: Number(place.slice(at + 1)), checks: linesOf(checks), count: checks.length });
  }
  for (const edits of files.values()) edits.sort((a, b) => b.line - a.line);
  return files;
}

function putAll(file: string, page: string, edits: readonly CountedEdit[]) {
  let [text, written] = [page, 0];
  const refused: { line: number; why: string }[] = [];
  for (const edit of edits) {
    const put = putChecks(file, text, edit);
    if (put === undefined)
      refused.push({ line: edit.line, why: 'the page would say something else with them' });
    else {
      text = put;
      written += edit.count;
    }
  }
  return { text, written, refused };
}
