import { kindsIn } from '../core/analysis/plan.ts';
import type { CaseEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { noChance } from '../core/replay/offline-case-run.ts';
import { readRecordedCases } from '../core/replay/recorded-case.ts';
import { replayAll } from '../core/replay/replay-all.ts';
import { run } from '../core/runner/run.ts';
import { AskedRequests } from '../core/suggest/asked-requests.ts';
import { type AskedRequest, candidatesFor, chooseFrom, loadFor } from '../core/suggest/suggest.ts';
import { openPorts } from '../platform/ports.ts';
import { findRun, readRecord } from '../platform/run-records.ts';
import { version } from '../platform/version.ts';
import { createMeasure } from '../reports/style.ts';
import {
  checkLines,
  type RequestSuggestions,
  suggestionsJson,
  suggestionsText,
} from '../reports/suggestions-text.ts';
import { exitCodes } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import {
  allowing,
  noteUnusedGiven,
  type PlanFlags,
  type Prepared,
  preparePlan,
  refusedByErrors,
} from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { writeChecks } from './write-checks.ts';

export interface SuggestFlags extends PlanFlags {
  readonly from?: readonly string[];
  readonly write?: boolean;
  readonly all?: boolean;
  readonly values?: boolean;
  readonly json?: boolean;
}

/** So many checks are proposed for a request, unless all are asked for. */
const most = 12;

/** Says which checks would be worth writing, by what cases were answered; in the pages themselves, where that is asked for. */
export async function suggestCommand(
  paths: readonly string[],
  flags: SuggestFlags,
  terminal: Terminal,
): Promise<void> {
  if (paths.length === 0 && !flags.from)
    throw new UsageError(
      'Name the cases that are to be sent. For example: mervok suggest quay/berths.md#all-berths. Of runs on record, all are looked at: mervok suggest --from last',
    );
  const prepared = await preparePlan(paths, allowing(flags));
  if (await refusedByErrors(prepared.findings, terminal)) return;
  noteUnusedGiven(prepared.plan, terminal);
  const asked = flags.from
    ? await fromRecords(prepared, flags.from, terminal)
    : await fromServer(prepared, terminal);
  if (!asked) return;
  const requests = asked.all.filter(({ planned }) => planned.asked);
  await loadFor(requests.flatMap(({ observations }) => observations.map(({ response }) => response)));
  const suggestions = requests.map(request => suggestionsFor(request, flags));
  const measure = await createMeasure(suggestions.flatMap(({ checks }) => checks.map(({ check }) => check)));
  if (flags.json) terminal.out(`${suggestionsJson(suggestions)}\n`);
  else if (suggestions.length === 0) terminal.err('No answer of these cases could be looked at.\n');
  else if (!flags.write) terminal.out(suggestionsText(suggestions, { paint: terminal.paint, measure }));
  if (flags.write)
    await writeChecks(prepared, suggestions, checks => checkLines(checks, measure), {
      out: flags.json ? () => undefined : terminal.out,
      err: terminal.err,
    });
}

function suggestionsFor(request: AskedRequest, { all, values }: SuggestFlags): RequestSuggestions {
  const candidates = candidatesFor(request, { values: values === true });
  const chosen = chooseFrom(candidates, request);
  const shown = all ? chosen : chosen.slice(0, most);
  const { planned, step, observations } = request;
  return {
    case: planned.address,
    place: `${step.place.file}:${step.place.line}`,
    request: requestOf(request),
    answers: observations.length,
    checks: shown.map(({ text, reason, pattern }) => ({ check: text, reason, pattern })),
    more: chosen.length - shown.length,
  };
}

function requestOf({ step, observations, mask }: AskedRequest): string {
  const url = observations[0]!.answer.sent()?.field('url', '');
  const path = Array.isArray(url) && URL.canParse(url[0]!) ? new URL(url[0]!) : undefined;
  return mask(`${step.operation} ${path ? `${path.pathname}${path.search}` : ''}`.trim());
}

/** Of the runs that are named, the cases that have passed. */
async function fromRecords(
  { plan, flow, root, external }: Prepared,
  named: readonly string[],
  { err }: Terminal,
): Promise<AskedRequests> {
  const asked = new AskedRequests(flow);
  const isEvent = await openEventCheck();
  const replaying = { chance: noChance, file: external.bytes };
  for (const name of named) {
    const { path } = findRun(name, root);
    const { cases, leftOut } = await readRecordedCases(plan, readRecord(path, isEvent));
    for (const { requests } of replayAll(plan, cases, () => replaying))
      for (const request of requests) asked.addRecorded(request);
    for (const { address, reason } of leftOut) err(`${address} is left out of ${name}: ${reason}.\n`);
  }
  return asked;
}

/** Sends the cases twice, each time with what they need, and with their cleaning up between. */
async function fromServer(
  { plan, flow, places }: Prepared,
  { err }: Terminal,
): Promise<AskedRequests | undefined> {
  const asked = new AskedRequests(flow);
  const interrupt = listenForInterrupt();
  const ports = await openPorts(places, kindsIn(plan));
  const failed: CaseEvent[] = [];
  try {
    await run(
      plan,
      ports,
      {
        tool: `mervok ${version}`,
        rounds: 2,
        bodies: false,
        signal: interrupt.signal,
        cleanUpSignal: interrupt.cleanUpSignal,
        onAnswers: async passed => asked.addPassed(passed, Date.now()),
      },
      event => {
        if (event.type === 'case' && event.outcome !== 'passed') failed.push(event);
      },
    );
  } finally {
    interrupt.stop();
    await ports.close();
  }
  if (interrupt.signal.aborted) {
    process.exitCode = exitCodes.interrupted;
    return undefined;
  }
  const atFirst = new Set(failed.flatMap(({ round, case: address }) => (round === 1 ? [address] : [])));
  // What did not pass at first says the same the second time.
  for (const event of failed) if (event.round === 1 || !atFirst.has(event.case)) err(`${notPassed(event)}\n`);
  if (failed.some(({ round, outcome }) => round === 1 && outcome !== 'skipped'))
    process.exitCode = exitCodes.failed;
  return asked;
}

/** What keeps a case from being looked at, or from being looked at more than once. */
function notPassed({ case: address, outcome, round, problem, because }: CaseEvent): string {
  const reason = problem?.message ?? because;
  const why = reason === undefined ? '.' : `: ${reason}`;
  if (round === 1) return `${address} is left out, since it has not passed (${outcome})${why}`;
  return `${address} has passed once and not a second time (${outcome}), so there is one answer to go by. What it leaves behind may not be cleaned up${why}`;
}
