import type { CheckEvent, OperationEvent, Payload, Problem, RunEvent } from '../../core/model/events.ts';
import { apdexText, percentText } from '../../core/record/number-texts.ts';
import { viewOf } from '../../core/record/operations.ts';
import type { RequestStatistics } from '../../core/record/request-statistics.ts';
import type { RunTotals } from '../../core/record/totals.ts';
import { counted, grouped, inWords } from '../../core/text/words.ts';
import { durationText, sizeText } from '../../core/values/text.ts';
import { pageTitleOf, titleOf } from '../cases.ts';
import { chartsOf } from '../charts/charts.ts';
import { factsOf, totalsInWords } from '../facts.ts';
import { laidOutBody } from '../laid-out-body.ts';
import { markedLine } from '../marked-line.ts';
import { parametersOf } from '../parameters.ts';
import { percentileTexts } from '../percentiles.ts';
import { phaseColumns, phaseRows } from '../phases-table.ts';
import { type Digest, type DigestedCase, type DigestedFailure, digest, gravestOf } from '../run-digest.ts';
import { joined, visible } from '../style.ts';
import { timeText } from '../time-text.ts';
import { verdictInWords } from '../verdict.ts';
import { draw } from './draw-chart.ts';
import { type Colour, Paper, type Part } from './paper.ts';

const limits = { failures: 60, ofEach: 1, kept: 0 };
/** So many cases and requests are listed; a document of hundreds of pages is read by nobody. */
const mostListed = 600;
/** So many lines of a body are shown, so many characters of each, and of what the page says around a case. */
const shownLines = 60;
const shownLine = 1200;
const shownProse = 600;

/** The report for those who decide: verdict, totals, what did not pass and why, all cases, the figures. */
export async function* pdfReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<Uint8Array> {
  const digested = await digest(events, totals, limits);
  const { run } = digested;
  const paper = new Paper(`${run.title} – ${verdictInWords(totals)}`);
  writeHead(digested, paper);
  writeFailures(digested, paper);
  writeFigures(digested, paper);
  writeCases(digested, paper);
  yield* paper.finish(`${run.title}, ${run.at.slice(0, 16).replace('T', ' ')} UTC`);
}

function writeHead({ run, totals, endpoints, statistics }: Digest, paper: Paper): void {
  paper.text(run.title, { font: 'title', size: 11, colour: 'slate', below: 2 });
  paper.text(verdictInWords(totals), {
    font: 'title',
    size: 19,
    colour: totals.passed ? 'holds' : 'failed',
    below: 10,
  });
  for (const [name, value] of factsOf(run, totals, endpoints)) {
    paper.pair(name, value, 80);
  }
  paper.doc.y += 8;
  paper.text(joined(totalsInWords(totals, statistics)), { size: 10, below: 8 });
  for (const { text, holds, found } of totals.bounds)
    paper.text(`The bound ${text} is ${holds === 'yes' ? '' : 'not '}kept: ${found}`, {
      colour: holds === 'yes' ? 'ink' : 'failed',
      below: 1,
    });
}

function writeFailures(digested: Digest, paper: Paper): void {
  const { failures, untold } = digested;
  if (failures.length === 0) return;
  paper.heading('What did not pass', 160);
  for (const failure of failures) writeFailure(failure, digested, paper);
  if (untold > 0)
    paper.text(
      `${counted(untold, 'more failure')} of cases ${untold === 1 ? 'is' : 'are'} not told here one by one.`,
    );
}

function writeFailure(
  { page, event, checks, operations, prose }: DigestedFailure,
  { run, blocked }: Digest,
  paper: Paper,
): void {
  const { outcome, place, row, problem } = event;
  paper.keep(100);
  paper.rule();
  paper.line([{ text: `${outcome}  `, colour: colourOf(outcome) }, titleOf(event)], {
    font: 'bold',
    size: 11,
    below: 1,
  });
  paper.text(`${pageTitleOf(page, run.rounds !== 1)}, ${place.file}:${place.line}`, {
    colour: 'slate',
    size: 8.5,
  });
  if (row) paper.text(`Row ${row.number} of ${row.total}: ${row.values}`, { colour: 'slate', size: 8.5 });
  if (prose) paper.text(cut(unbroken(prose), shownProse), { font: 'serif', colour: 'slate', below: 6 });
  for (const check of checks) if (check.holds !== 'yes') writeCheck(check, paper);
  if (problem) writeProblem(problem, paper);
  const blocks = blocked.get(event.case) ?? [];
  if (blocks.length > 0)
    paper.text(
      `Blocked by it: ${inWords(blocks.slice(0, 12).map(each => each.event.title))}${blocks.length > 12 ? ` and ${blocks.length - 12} more` : ''}.`,
      { colour: 'slate' },
    );
  const last = operations.at(-1);
  if (last)
    writeOperation(
      last,
      checks.filter(({ holds }) => holds !== 'yes'),
      paper,
    );
  paper.doc.y += 8;
}

/** The message, and the line of the page where that is known. */
function writeProblem(problem: Problem, paper: Paper): void {
  paper.text(problem.message, { colour: 'failed' });
  const marked = markedLine(problem);
  if (marked.length > 0)
    paper.lines(
      marked.map(line => [line]),
      { font: 'mono', size: 8.5, indent: 12 },
    );
}

/** The check as written, with what was expected above what was found, all on one page. */
function writeCheck({ text, label, expected, found, at, differences = [] }: CheckEvent, paper: Paper): void {
  const statement = label === undefined ? text : `${label}: ${text}`;
  const pairs: [name: string, value: string, colour: Colour][] = [];
  if (expected !== undefined) pairs.push(['expected', expected, 'ink']);
  if (found !== undefined) pairs.push(['found', found, 'failed']);
  if (differences.length === 0 && at !== undefined) pairs.push(['at', at, 'ink']);
  for (const each of differences)
    pairs.push(['at', each.at, 'ink'], ['expected', each.expected, 'ink'], ['found', each.found, 'failed']);
  const head = { font: 'mono', size: 9, below: 1 } as const;
  const style = (colour: Colour) => ({ font: 'mono', size: 8.5, colour, indent: 12 }) as const;
  const heights = pairs.map(([, value, colour]) => paper.heightOfPair(value, nameColumn, style(colour)));
  paper.keep(heights.reduce((sum, height) => sum + height, paper.heightOf(statement, head)));
  paper.text(statement, head);
  for (const [name, value, colour] of pairs) paper.pair(name, value, nameColumn, style(colour));
  paper.doc.y += 4;
}

/** In points. */
const nameColumn = 52;

function writeOperation(operation: OperationEvent, failing: readonly CheckEvent[], paper: Paper): void {
  const { verb, target, body, answer, texts } = viewOf(operation);
  const style = { font: 'mono', size: 8, colour: 'slate', indent: 12, below: 2 } as const;
  paper.text(`${verb} ${target}`, { ...style, colour: 'ink' });
  for (const each of parametersOf(operation)) paper.text(visible(each), style);
  writeBody(body, paper);
  paper.text(
    answer
      ? `${`${answer.code} ${answer.words}`.trimEnd()}, ${timeText(operation.times.total)}`
      : (operation.fault?.message ?? 'No answer.'),
    { ...style, colour: 'ink' },
  );
  writeBody(answer?.body, paper, failing);
  for (const { name, body: text } of texts) {
    paper.text(name, { ...style, colour: 'ink' });
    writeBody(text, paper);
  }
}

/** JSON as the report page lays it out, what failing checks speak of in the colour of what failed. */
function writeBody(body: Payload | undefined, paper: Paper, failing: readonly CheckEvent[] = []): void {
  if (!body || body.size === 0) return;
  const { text, size, cut: isCut } = body;
  const style = { font: 'mono', size: 8, colour: 'slate', indent: 12 } as const;
  if (text === undefined) {
    paper.text(`${sizeText(size)} that are no text`, style);
    return;
  }
  const laidOut = laidOutBody(visible(text), bodyWidth, failing, part => mark + part + mark);
  const all = laidOut.split('\n');
  const shown = all.slice(0, shownLines).map(line => partsOf(cut(line, shownLine)));
  const isLong = isCut || all.length > shownLines || all.some(line => line.length > shownLine);
  paper.lines(isLong ? [...shown, [`… (${sizeText(size)})`]] : shown, style);
}

/** Of a line in which what is set off stands between two marks. */
function partsOf(line: string): Part[] {
  return line
    .split(mark)
    .map((text, index): Part => (index % 2 === 0 ? text : { text, colour: 'failed' }))
    .filter((part, index) => index === 0 || part !== '');
}

/** Stands before and behind what is set off, until it is written; no text that can be seen holds it. */
const mark = '\u0001';
/** In letters of the document. */
const bodyWidth = 92;

/** Where a line of a paragraph ends in the page is no matter of the paper; lists, tables and quotes keep their lines. */
function unbroken(prose: string): string {
  return prose.replace(/(?<![\n|])[ \t]*\n(?!\n|\s*(?:[-*+>|#`~]|\d+[.)]\s))[ \t]*/g, ' ');
}

function cut(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most)} …` : text;
}

function writeFigures({ statistics }: Digest, paper: Paper): void {
  if (!statistics.repeats || statistics.total.times.count === 0) return;
  const { total, requests, repeated, load } = statistics;
  paper.heading('Figures', 240);
  for (const drawing of chartsOf(statistics)) draw(drawing, paper);
  if (load) {
    paper.keep(120);
    paper.text('Phase by phase', { font: 'bold', size: 10 });
    paper.table(
      [phaseColumns, ...phaseRows(load.phases)],
      ['*', 30, 58, 28, 42, 38, 40, 40, 40, 40, 42, 44],
      1,
    );
  }
  paper.keep(120);
  paper.text('Request by request', { font: 'bold', size: 10 });
  const head = ['', 'sent', 'failed', 'Apdex', '50 %', '90 %', '95 %', '99 %', 'longest'];
  const rows = repeated
    .slice(0, mostListed)
    .map(({ title, request, figures }) => [`${title}\n${request}`, ...figuresOf(figures)]);
  const table = [head, ...rows, ['In total', ...figuresOf(total)]];
  paper.table(table, ['*', 34, 38, 34, 42, 42, 42, 42, 44], 1);
  const left = requests.length - rows.length;
  if (left > 0)
    paper.text(
      `${counted(left, 'request')} ${left === 1 ? 'is' : 'are'} not listed here${repeated.length > mostListed ? '' : ': sent only once'}.`,
    );
}

function figuresOf({ requests, failed, errorRate, apdex, times }: RequestStatistics): string[] {
  const time = (milliseconds: number | undefined) =>
    milliseconds === undefined ? '' : timeText(milliseconds);
  return [
    grouped(requests),
    failed === 0 ? '0' : percentText(errorRate!),
    apdex === undefined ? '' : apdexText(apdex),
    ...percentileTexts(times),
    time(times.max),
  ];
}

function writeCases({ pages }: Digest, paper: Paper): void {
  paper.heading('Cases', 120);
  let left = mostListed;
  for (const page of pages) {
    if (left <= 0) break;
    paper.keep(60);
    paper.text(page.title, { font: 'bold', size: 10, below: 2 });
    const shown = page.cases.slice(0, left);
    left -= shown.length;
    const rows = shown.map(rowOf);
    paper.table(page === pages[0] ? [caseHeads, ...rows] : rows, [46, '*', 150, 34, 62], 3, row =>
      row === caseHeads ? 'slate' : colourOf(row[0]!),
    );
  }
  const all = pages.reduce((sum, page) => sum + page.cases.length, 0);
  if (all > mostListed) paper.text(`${counted(all - mostListed, 'more case')} are not listed here.`);
}

const caseHeads = ['outcome', 'case', 'request', 'status', 'the case took'];

function rowOf(each: DigestedCase): string[] {
  const { title, request = '', first, count, outcomes, times } = each;
  const bad = (outcomes.failed ?? 0) + (outcomes.error ?? 0);
  const often =
    count === 1 ? '' : bad > 0 ? `, ${grouped(bad)} of ${grouped(count)} times` : `, ${grouped(count)} times`;
  const median = times.percentile(50);
  const took = count === 1 ? durationText(first.event.time) : median === undefined ? '' : timeText(median);
  const status = count === 1 ? String(first.event.status ?? '') : '';
  return [gravestOf(each), title + often, request, status, first.event.at === undefined ? '' : took];
}

function colourOf(outcome: string): Colour {
  if (outcome === 'passed') return 'ink';
  if (outcome === 'failed' || outcome === 'error') return outcome;
  return 'grey';
}
