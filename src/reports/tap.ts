import type { RunEvent } from '../core/model/events.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { blockedInWords, casesOf, pageTitleOf, type ReportedCase, titleOf, whySkipped } from './cases.ts';
import { visible } from './style.ts';
import { stopsInWords } from './verdict.ts';

/** TAP, version 14: a test point for each case and for each bound; what did not pass says why, as YAML. */
export async function* tapReport(events: AsyncIterable<RunEvent>, totals: RunTotals): AsyncGenerator<string> {
  const cases = Object.values(totals.cases).reduce((sum, count) => sum + count, 0);
  let number = 0;
  let several = false;
  yield `TAP version 14\n1..${cases + totals.bounds.length}\n`;
  for await (const part of casesOf(events)) {
    if ('run' in part) several = part.run.rounds !== 1;
    else if ('end' in part) {
      for (const { text, place, holds, found } of totals.bounds)
        yield point(
          ++number,
          holds === 'yes' ? 'ok' : 'not ok',
          text,
          holds === 'yes' ? [] : [{ file: place.file, line: place.line, found }],
        );
    } else {
      const title = `${pageTitleOf(part.page, several)}: ${titleOf(part.event)}`;
      yield casePoint(++number, title, part);
    }
  }
  const why = totals.stopped ? stopsInWords[totals.stopped] : totals.missing.join(' ');
  if (why !== '') yield `Bail out! ${why}\n`;
}

function casePoint(number: number, title: string, { event, checks }: ReportedCase): string {
  const { outcome, blocked, problem, row } = event;
  if (outcome === 'skipped') return skip(number, title, whySkipped(event) ?? '');
  if (outcome === 'blocked')
    return skip(number, title, blocked ? `blocked: ${blockedInWords(blocked, blocked.by)}` : 'blocked');
  if (outcome === 'passed') return point(number, 'ok', title, []);
  const about = row ? [{ row: row.values }] : [];
  const failing = checks.filter(({ holds }) => holds !== 'yes');
  return point(number, 'not ok', title, [
    ...about,
    ...failing.map(({ place, text, expected, found, at }) => ({
      file: place.file,
      line: place.line,
      check: text,
      expected,
      found,
      at,
    })),
    ...(problem ? [{ file: problem.place.file, line: problem.place.line, message: problem.message }] : []),
  ]);
}

function skip(number: number, title: string, why: string): string {
  return `ok ${number} - ${description(title)} # SKIP ${description(why)}\n`;
}

type Told = { readonly [key: string]: string | number | undefined };

/** What is said of a point that is not ok is a list, each entry in flow style, which is JSON too. */
function point(number: number, verdict: 'ok' | 'not ok', title: string, told: readonly Told[]): string {
  const line = `${verdict} ${number} - ${description(title)}\n`;
  if (told.length === 0) return line;
  const entries = told.map(entry => {
    const members = Object.entries(entry).filter(([, value]) => value !== undefined);
    return members
      .map(
        ([key, value], at) =>
          `    ${at === 0 ? '-' : ' '} ${key}: ${JSON.stringify(typeof value === 'string' ? visible(value) : value)}\n`,
      )
      .join('');
  });
  return `${line}  ---\n  why:\n${entries.join('')}  ...\n`;
}

/** A `#` would begin a directive, and a line end another line. */
function description(text: string): string {
  return visible(text)
    .replace(/[\t\n]+/g, ' ')
    .replace(/[\\#]/g, '\\$&');
}
