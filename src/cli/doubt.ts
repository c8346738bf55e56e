import { doubt } from '../core/doubt/doubt.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { seededRandom } from '../platform/external-sources.ts';
import { findRun, listRuns, readRecord, readSummary } from '../platform/run-records.ts';
import { type DoubtDigest, digestOf, verdictInWords } from '../reports/doubt/digest.ts';
import { doubtMarkdown } from '../reports/doubt/markdown.ts';
import { doubtText } from '../reports/doubt/text.ts';
import { createMeasure, plainPaint } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { readFindingsFile, readShare, writeFileOfForm } from './form-of-ending.ts';
import { noteUnusedGiven, type PlanFlags, preparePlan, refusedByErrors } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface DoubtFlags extends PlanFlags {
  readonly run?: string;
  readonly atLeast?: string;
  readonly seed?: string;
  readonly json?: boolean;
  readonly output?: string;
}

/** Says whether the checks of pages would notice if something in the answers on record were wrong. */
export async function doubtCommand(
  paths: readonly string[],
  flags: DoubtFlags,
  terminal: Terminal,
): Promise<void> {
  const wanted = flags.atLeast === undefined ? undefined : readShare(flags.atLeast);
  const write = readFindingsFile(flags.output, 'What was found');
  const { plan, flow, findings, root, external } = await preparePlan(paths, { ...flags, commands: true });
  if (await refusedByErrors(findings, terminal)) return;
  noteUnusedGiven(plan, terminal);
  const { id, path } = flags.run === undefined ? await lastPassing(root) : findRun(flags.run, root);
  const isEvent = await openEventCheck();
  const found = await doubt(plan, flow, readRecord(path, isEvent), {
    seed: flags.seed,
    chanceFor: (...turn) => seededRandom([flags.seed ?? '', ...turn].join('/')),
    file: path => external.bytes(path),
  });
  const digest = digestOf(found, id);
  const { out, err, paint, width } = terminal;
  const measure = await createMeasure([JSON.stringify(digest)]);
  if (flags.json) out(jsonOf(digest));
  else out(`${doubtText(digest, { paint, measure, width: Math.min(width, 120) }).join('\n')}\n`);
  if (write) {
    const { doubtPage } = await import('../reports/doubt/page.ts');
    const written = {
      html: () => doubtPage(digest, plan.title),
      md: () => `${doubtMarkdown(digest, plan.title).join('\n')}\n`,
      json: () => jsonOf(digest),
      txt: () => `${doubtText(digest, { paint: plainPaint, measure, width: 100 }).join('\n')}\n`,
    };
    await writeFileOfForm(write.path, written[write.form](), {
      out: flags.json ? () => undefined : out,
      err,
    });
  }
  if (wanted === undefined || (digest.countable > 0 && digest.noticed / digest.countable >= wanted)) return;
  err(`Less than ${flags.atLeast} is noticed of what a check could notice.\n`);
  process.exitCode = exitCodes.failed;
}

/** The last run that has passed as a whole. Throws UsageError. */
async function lastPassing(root: string): Promise<{ id: string; path: string }> {
  const ids = listRuns(root);
  for (const id of ids.reverse()) {
    const { path } = findRun(id, root);
    const { end } = await readSummary(path).catch(() => ({ end: undefined }));
    const { failed = 1, error = 1, blocked = 1, passed = 0 } = end?.totals.cases ?? {};
    if (failed + error + blocked === 0 && passed > 0 && end?.stopped === undefined) return { id, path };
  }
  throw new UsageError(
    ids.length === 0
      ? "No run is on record here. Every 'mervok run' leaves one."
      : 'No run on record has passed. Of another one the cases are looked at that have passed in it: mervok doubt --run last',
  );
}

/** For programs. */
function jsonOf(digest: DoubtDigest): string {
  const { run, ...found } = digest;
  const said = { format: 'mervok-doubt', version: 1, run, verdict: verdictInWords(digest), ...found };
  return `${JSON.stringify(said, undefined, 2)}\n`;
}
