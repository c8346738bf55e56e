import { kindsIn, type PlannedCase } from '../core/analysis/plan.ts';
import type { AnswerView } from '../core/language/answer-view.ts';
import type { CaseEvent, GenericOperationEvent, RunEvent } from '../core/model/events.ts';
import type { Ports } from '../core/runner/ports.ts';
import { run } from '../core/runner/run.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { CommandStep } from '../core/steps/command/command-step.ts';
import { CommandView } from '../core/steps/command/command-view.ts';
import { QueryView } from '../core/steps/query/query-view.ts';
import { durationText } from '../core/values/text.ts';
import { signalAfter } from '../platform/clock.ts';
import { openPorts } from '../platform/ports.ts';
import { version } from '../platform/version.ts';
import { blockedInWords } from '../reports/cases.ts';
import { operationLines } from '../reports/operation-lines.ts';
import { createMeasure } from '../reports/style.ts';
import { verdictOnChecks } from '../reports/verdict.ts';
import { exitCodes } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import type { Prepared } from './prepare.ts';
import { firstOnly, neededInWords } from './single-request.ts';
import type { Terminal } from './terminal.ts';

/** What a case came to that sends no request. */
export interface Operated {
  /** The last query or command that came to something, as the record would have it. */
  readonly last: GenericOperationEvent;
  /** All of what came, as statements see it. */
  readonly view: AnswerView;
  readonly masker: Masker;
  readonly checks: { readonly made: number; readonly held: number };
}

/**
 * Carries out a case that sends no request, and what it needs. Nothing where nothing came, which is told.
 * @param timeout in milliseconds: how long all of it may take
 */
export async function operate(
  { plan, places }: Prepared,
  asked: PlannedCase,
  { timeout, terminal: { err } }: { readonly timeout: number | undefined; readonly terminal: Terminal },
): Promise<Operated | undefined> {
  const masker = new Masker();
  const checks = { made: 0, held: 0 };
  let last: GenericOperationEvent | undefined;
  let view: AnswerView | undefined;
  const problems: string[] = [];
  const onEvent = (event: RunEvent) => {
    if (event.type === 'case') {
      const problem = problemOf(event, asked);
      if (problem !== undefined) problems.push(problem);
    }
    if (!('case' in event) || event.case !== asked.address) return;
    if (event.type === 'operation' && event.answer && !event.beside) last = event;
    if (event.type !== 'check') return;
    checks.made++;
    if (event.holds === 'yes') checks.held++;
  };
  const interrupt = listenForInterrupt();
  const limit = timeout === undefined ? undefined : signalAfter(timeout);
  const signal = limit ? AbortSignal.any([interrupt.signal, limit]) : interrupt.signal;
  const ports = await openPorts(places, kindsIn(plan));
  const options = { tool: `mervok ${version}`, bodies: true, signal, masker };
  try {
    const watched = watch(ports, asked, came => {
      view = came;
    });
    await run(firstOnly(plan, asked), watched, options, onEvent);
  } finally {
    interrupt.stop();
    await ports.close();
  }
  if (interrupt.signal.aborted) process.exitCode = exitCodes.interrupted;
  else if (limit?.aborted && !last) {
    err(`Given up after ${durationText(timeout!)} (--timeout), before anything came.\n`);
    process.exitCode = exitCodes.failed;
  } else if (problems.length > 0) {
    err(`${problems.join('\n')}\n`);
    process.exitCode = exitCodes.failed;
  }
  return last && view && { last, view, masker, checks };
}

/** Tells what queries and commands come to; the case that was asked for is carried out last. */
function watch(ports: Ports, asked: PlannedCase, tell: (came: AnswerView) => void): Ports {
  const { query, command } = ports.operations;
  const lines = asked.steps.findLast(step => step instanceof CommandStep)?.command.lines === true;
  const told = <Ended extends { readonly fault?: unknown }>(
    ended: Ended,
    viewOf: (ended: Ended) => AnswerView,
  ) => {
    if (ended.fault === undefined) tell(viewOf(ended));
    return ended;
  };
  return {
    ...ports,
    operations: {
      ...ports.operations,
      query: {
        ...query,
        run: async (...given) => told(await query.run(...given), ended => new QueryView(ended)),
      },
      command: {
        ...command,
        run: async (...given) => told(await command.run(...given), ended => new CommandView(ended, lines)),
      },
    },
  };
}

/** Why a case came to nothing. That checks of the one that was asked for do not hold is told below what came. */
function problemOf(
  { case: address, outcome, blocked, problem }: CaseEvent,
  asked: PlannedCase,
): string | undefined {
  if (outcome === 'passed' || outcome === 'skipped') return undefined;
  if (blocked) return `${address} cannot be carried out: ${blockedInWords(blocked, blocked.cause)}.`;
  if (address === asked.address) return problem?.message;
  return neededInWords(address, outcome);
}

/** Shows what came, as a response is shown. */
export async function showOperated({ last, checks }: Operated, terminal: Terminal): Promise<void> {
  const { out, paint } = terminal;
  const width = Math.min(200, Math.max(60, terminal.width));
  const words = last.asked.fields.flat();
  const lines = operationLines(last, { paint, width, measure: await createMeasure(words) });
  out(`${[...lines, ...verdictOnChecks(checks, paint)].join('\n')}\n`);
}
