import type { RunEvent } from '../core/model/events.ts';
import type { RunTotals } from '../core/record/totals.ts';
import {
  blockedInWords,
  pagesOf,
  pageTitleOf,
  type ReportedCase,
  type ReportedPage,
  titleOf,
  whySkipped,
} from './cases.ts';
import { linesOf } from './check-lines.ts';
import { markedLine } from './marked-line.ts';
import { escapeXml } from './xml-escape.ts';

/** JUnit XML, as CI systems read it: a suite for each page and round, a test case for each case. */
export async function* junitReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<string> {
  const { failed, error, blocked, skipped, passed } = totals.cases;
  const { bounds, exceeded, missing } = totals;
  let at = '';
  let several = false;
  yield '<?xml version="1.0" encoding="UTF-8"?>\n';
  for await (const part of pagesOf(events)) {
    if ('run' in part) {
      at = part.run.at;
      several = part.run.rounds !== 1;
      const counts = {
        tests: passed + failed + error + blocked + skipped + bounds.length + missing.length,
        failures: failed + exceeded.length,
        errors: error + missing.length,
      };
      yield `<testsuites${attributes({ name: part.run.title, ...counts, time: seconds(totals.duration) })}>\n`;
    } else if ('page' in part) yield suite(part, at, several);
    else {
      if (bounds.length > 0) yield boundsSuite(totals);
      if (missing.length > 0) yield missingSuite(missing);
      yield '</testsuites>\n';
    }
  }
}

function suite({ page, cases }: ReportedPage, at: string, several: boolean): string {
  const count = (...outcomes: string[]) =>
    cases.filter(({ event }) => outcomes.includes(event.outcome)).length;
  const time = cases.reduce((sum, { event }) => sum + event.time, 0);
  const head = attributes({
    name: pageTitleOf(page, several),
    tests: cases.length,
    failures: count('failed'),
    errors: count('error'),
    skipped: count('blocked', 'skipped'),
    time: seconds(time),
    timestamp: at.replace(/\.\d+Z$/, ''),
  });
  return `  <testsuite${head}>\n${cases.map(testCase).join('')}  </testsuite>\n`;
}

/** The limits on the whole run, each as a test case of its own. */
function boundsSuite({ bounds, exceeded }: RunTotals): string {
  const cases = bounds.map(({ text, place, holds, found }) => {
    const head = attributes({ name: text, classname: 'bounds' });
    const failure = `<failure${attributes({ message: `${text}: ${found}`, type: 'bound' })}>${escapeXml(`${place.file}:${place.line}  ${text}\n  found     ${found}`)}</failure>`;
    return holds === 'yes'
      ? `    <testcase${head}/>\n`
      : `    <testcase${head}>\n      ${failure}\n    </testcase>\n`;
  });
  const head = attributes({ name: 'Bounds', tests: bounds.length, failures: exceeded.length });
  return `  <testsuite${head}>\n${cases.join('')}  </testsuite>\n`;
}

/** What was lost with a thread or a machine: a run that passed otherwise has not passed. */
function missingSuite(missing: readonly string[]): string {
  const cases = missing.map((message, index) => {
    const head = attributes({ name: `Missing ${index + 1}`, classname: 'missing' });
    return `    <testcase${head}>\n      <error${attributes({ message, type: 'missing' })}/>\n    </testcase>\n`;
  });
  const head = attributes({ name: 'Missing', tests: missing.length, errors: missing.length });
  return `  <testsuite${head}>\n${cases.join('')}  </testsuite>\n`;
}

function testCase({ event, checks }: ReportedCase): string {
  const { place, outcome, time, problem, blocked, row } = event;
  const head = attributes({
    name: titleOf(event),
    classname: place.file.replace(/\.md$/i, '').replaceAll('/', '.'),
    time: seconds(time),
  });
  const failing = checks.filter(check => check.holds !== 'yes');
  const lines = row ? [`row ${row.number} of ${row.total}: ${row.values}`] : [];
  for (const check of failing) lines.push(...linesOf(check));
  if (problem)
    lines.push(`${problem.place.file}:${problem.place.line}  ${problem.message}`, ...markedLine(problem));
  const message = failing[0]
    ? `${failing[0].text}: found ${failing[0].found ?? 'otherwise'}`
    : (problem?.message ?? '');
  const skipped = whySkipped(event);
  const body = {
    passed: '',
    failed: `<failure${attributes({ message, type: 'check' })}>${escapeXml(lines.join('\n'))}</failure>`,
    error: `<error${attributes({ message: problem?.message ?? message, type: 'error' })}>${escapeXml(lines.join('\n'))}</error>`,
    blocked: `<skipped>${escapeXml(blocked ? `blocked: ${blockedInWords(blocked, blocked.by)}, because of ${blocked.cause}` : 'blocked')}</skipped>`,
    skipped: skipped === undefined ? '<skipped/>' : `<skipped>${escapeXml(skipped)}</skipped>`,
  }[outcome];
  return body === '' ? `    <testcase${head}/>\n` : `    <testcase${head}>\n      ${body}\n    </testcase>\n`;
}

function seconds(milliseconds: number): string {
  return (milliseconds / 1000).toFixed(3);
}

function attributes(values: { [name: string]: string | number }): string {
  return Object.entries(values)
    .map(
      ([name, value]) =>
        ` ${name}="${escapeXml(String(value)).replaceAll('\n', '&#10;').replaceAll('\t', '&#9;')}"`,
    )
    .join('');
}
