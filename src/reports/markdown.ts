import type { CheckEvent, OperationEvent, RunEvent } from '../core/model/events.ts';
import { viewOf } from '../core/record/operations.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted } from '../core/text/words.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import { pageTitleOf, titleOf } from './cases.ts';
import { escapeMarkup } from './charts/drawing.ts';
import { linesOf } from './check-lines.ts';
import { factsOf, totalsInWords } from './facts.ts';
import { markedLine } from './marked-line.ts';
import { parametersOf } from './parameters.ts';
import { percentileTexts } from './percentiles.ts';
import { phaseColumns, phaseRows } from './phases-table.ts';
import { type Digest, type DigestedFailure, digest } from './run-digest.ts';
import { visible } from './style.ts';
import { timeText } from './time-text.ts';
import { verdictInWords } from './verdict.ts';

/** A comment of a review may be no longer, in characters. */
const longest = 60_000;
const shownBody = 1500;
const mostRequests = 50;
const limits = { failures: 50, ofEach: 1, kept: 0 };

/** A summary for the page of a CI job or a comment of a review: the verdict, what did not pass, the figures. */
export async function* markdownReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<string> {
  const digested = await digest(events, totals, limits);
  const { run, failures, untold, endpoints, statistics, blocked } = digested;
  const facts = factsOf(run, totals, endpoints).map(([name, value]) => `${name}: ${plain(value)}`);
  const head = [
    `## ${plain(run.title)}: ${totals.passed ? 'passed' : 'not passed'}`,
    `**${plain(verdictInWords(totals))}**`,
    totalsInWords(totals, statistics),
    ...totals.exceeded.map(({ text, found }) => `- The bound ${code(text)} is not kept: ${plain(found)}`),
  ];
  const foot = [...figuresOf(digested), `<sub>${facts.join(' · ')}</sub>`];
  let room = longest - [...head, ...foot].join('\n\n').length;
  const entries: string[] = [];
  for (const failure of failures) {
    const entry = entryOf(failure, run.rounds !== 1, blocked.get(failure.event.case)?.length ?? 0);
    if (entry.length + 200 > room) break;
    room -= entry.length;
    entries.push(entry);
  }
  const left = failures.length - entries.length + untold;
  if (left > 0)
    entries.push(`${counted(left, 'more failure')} of cases ${left === 1 ? 'is' : 'are'} not told here.`);
  yield `${[...head, ...entries, ...foot].join('\n\n')}\n`;
}

function entryOf(
  { page, event, checks, operations }: DigestedFailure,
  several: boolean,
  blocks: number,
): string {
  const { outcome, place, request, status, time, problem } = event;
  const failing = checks.filter(({ holds }) => holds !== 'yes');
  const figures = [request === undefined ? undefined : code(request), status, durationText(time)].filter(
    Boolean,
  );
  const last = operations.at(-1);
  return [
    `<details><summary><b>${outcome}</b> ${markup(titleOf(event))} <i>${markup(pageTitleOf(page, several))}</i></summary>`,
    `${code(`${place.file}:${place.line}`)} ${figures.join(', ')}${blocks > 0 ? `; ${counted(blocks, 'case')} blocked by it` : ''}`,
    fence(whyOf(failing, problem)),
    ...(last ? [fence(operationText(last))] : []),
    '</details>',
  ].join('\n\n');
}

function whyOf(failing: readonly CheckEvent[], problem: DigestedFailure['event']['problem']): string {
  const lines = failing.flatMap(linesOf);
  if (problem)
    lines.push(`${problem.place.file}:${problem.place.line}  ${problem.message}`, ...markedLine(problem));
  return lines.join('\n');
}

function operationText(operation: OperationEvent): string {
  const { verb, target, body: asked, answer, texts } = viewOf(operation);
  const body = (payload: typeof asked) => {
    if (!payload || payload.size === 0) return [];
    if (payload.text === undefined) return ['', `${sizeText(payload.size)} that are no text`];
    const isLong = payload.text.length > shownBody;
    return ['', isLong ? `${payload.text.slice(0, shownBody)} … (${sizeText(payload.size)})` : payload.text];
  };
  return [
    `${verb} ${target}`,
    ...parametersOf(operation),
    ...body(asked),
    '',
    ...(answer
      ? [`${answer.code} ${answer.words}`.trimEnd(), ...body(answer.body)]
      : [operation.fault?.message ?? 'No answer.']),
    ...texts.flatMap(({ name, body: text }) => ['', `${name}:`, ...body(text).slice(1)]),
  ].join('\n');
}

/** Request by request, where cases ran more than once. */
function figuresOf({ statistics: { repeats, total, repeated, load } }: Digest): string[] {
  if (!repeats || total.times.count === 0) return [];
  const rows = [...repeated.slice(0, mostRequests), { title: 'In total', request: '', figures: total }];
  const lines = rows.map(({ title, request, figures: { requests: sent, failed, times } }) => {
    const time = (value: number | undefined) => (value === undefined ? '' : timeText(value));
    const cells = [
      `${plain(title)} ${plain(request)}`.trim(),
      sent,
      failed,
      ...percentileTexts(times),
      time(times.max),
    ];
    return `| ${cells.join(' | ')} |`;
  });
  const left = repeated.length - mostRequests;
  const phases = load
    ? [phaseColumns, phaseColumns.map((_, index) => (index === 0 ? '---' : '--:')), ...phaseRows(load.phases)]
    : [];
  return [
    ...(phases.length > 0 ? [phases.map(cells => `| ${cells.map(plain).join(' | ')} |`).join('\n')] : []),
    [
      '| request | sent | failed | 50 % | 90 % | 95 % | 99 % | longest |',
      `|---|${'--:|'.repeat(7)}`,
      ...lines,
    ].join('\n'),
    ...(left > 0 ? [`${counted(left, 'more request')} ${left === 1 ? 'is' : 'are'} not told here.`] : []),
  ];
}

/** A fence that its content cannot close. */
function fence(text: string): string {
  const content = visible(text);
  const longestRun = Math.max(2, ...[...content.matchAll(/`+/g)].map(([run]) => run.length));
  const marks = '`'.repeat(longestRun + 1);
  return `${marks}text\n${content}\n${marks}`;
}

function code(text: string): string {
  const content = visible(text).replaceAll('\n', ' ');
  const marks = '`'.repeat(Math.max(0, ...[...content.matchAll(/`+/g)].map(([run]) => run.length)) + 1);
  return marks.length > 1 ? `${marks} ${content} ${marks}` : `${marks}${content}${marks}`;
}

/** Text that is no markup of Markdown, nor of HTML in it. */
function plain(text: string): string {
  return visible(text)
    .replaceAll('\n', ' ')
    .replace(/[\\`*_[\]#|~@]/g, '\\$&')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;');
}

function markup(text: string): string {
  return escapeMarkup(visible(text).replaceAll('\n', ' '));
}
