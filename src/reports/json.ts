import type { CheckEvent, RunEvent } from '../core/model/events.ts';
import type { DurationHistogram } from '../core/record/duration-histogram.ts';
import type { RequestStatistics } from '../core/record/request-statistics.ts';
import { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { heardBy, pagesOf, type ReportedCase } from './cases.ts';
import { verdictInWords } from './verdict.ts';

/** The format of this file; raised when a reader has to know the difference. */
const version = 1;

/** The report for programs: totals first, then every case with its checks; requests and responses of those that did
 * not pass. */
export async function* jsonReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<string> {
  let separator = '';
  const statistics = new RunStatistics();
  for await (const part of pagesOf(heardBy(event => statistics.add(event), events))) {
    if ('run' in part) {
      const { type, version: _version, cases, bounds: _bounds, ...run } = part.run;
      const head = {
        format: 'mervok-report',
        version,
        ...run,
        passed: totals.passed,
        verdict: verdictInWords(totals),
        totals: totalsOf(totals),
        bounds: totals.bounds,
        ...(totals.definitions.length > 0 && { definitions: totals.definitions }),
      };
      yield `${JSON.stringify(head, undefined, 2).slice(0, -2)},\n  "pages": [`;
    } else if ('page' in part) {
      const { file, title, round, user, rows } = part.page;
      yield `${separator}\n    ${JSON.stringify({ file, title, round, user, rows, cases: part.cases.map(caseOf) })}`;
      separator = ',';
    } else yield `\n  ]${statistics.load ? `,\n  "load": ${JSON.stringify(loadOf(statistics))}` : ''}\n}\n`;
  }
}

/** What a load came to, phase by phase and request by request; the cases of the pages are a sample of it. */
function loadOf({ load, requests }: RunStatistics) {
  return {
    phases: load!.phases.map(({ phase, figures, rounds, mostUsers }) => ({
      number: phase.number,
      label: phase.label,
      text: phase.text,
      mostUsers,
      rounds,
      ...figuresOf(figures),
    })),
    requests: requests.map(({ case: address, request, figures }) => ({
      case: address,
      request,
      ...figuresOf(figures),
    })),
  };
}

function figuresOf({ requests, failed, received, times, sent }: RequestStatistics) {
  return {
    requests,
    failed,
    bytesReceived: received,
    milliseconds: percentilesOf(times),
    ...(sent && { millisecondsFromSending: percentilesOf(sent) }),
  };
}

function percentilesOf(times: DurationHistogram) {
  const at = (percent: number) => times.percentile(percent);
  return {
    min: times.min,
    mean: times.mean,
    p50: at(50),
    p90: at(90),
    p95: at(95),
    p99: at(99),
    max: times.max,
  };
}

function totalsOf(totals: RunTotals) {
  return {
    cases: totals.cases,
    checks: totals.checks,
    held: totals.held,
    requests: totals.requests,
    steps: totals.steps,
    bytesReceived: totals.received,
    milliseconds: totals.duration,
    medianMilliseconds: totals.p50,
    p95Milliseconds: totals.p95,
    stopped: totals.stopped,
    because: totals.because,
    ...(totals.missing.length > 0 && { missing: totals.missing }),
    ...(totals.leftBehind.length > 0 && { leftBehind: totals.leftBehind }),
  };
}

function caseOf({ event, checks, operations }: ReportedCase) {
  const {
    case: address,
    title,
    place,
    request,
    status,
    outcome,
    time,
    problem,
    blocked,
    row,
    because,
    values,
  } = event;
  return {
    case: address,
    title,
    row,
    outcome,
    file: place.file,
    line: place.line,
    request,
    status,
    milliseconds: time,
    problem,
    blocked,
    because,
    values,
    checks: checks.map(checkOf),
    ...(outcome !== 'passed' && {
      exchanges: operations.map(({ type, case: _, round, user, row: _row, ...rest }) => rest),
    }),
  };
}

function checkOf({ type, round, user, case: _, row, ...rest }: CheckEvent) {
  return rest;
}
