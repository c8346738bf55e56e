import type { RunEvent } from '../core/model/events.ts';
import { viewOf } from '../core/record/operations.ts';
import { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { withoutPrototype } from '../core/text/without-prototype.ts';
import { grouped } from '../core/text/words.ts';
import { casesOf, heardBy, pageTitleOf, titleOf, whySkipped } from './cases.ts';
import { factsOf } from './facts.ts';
import { operationColumns } from './operation-columns.ts';
import { percentileOf, toldPercents } from './percentiles.ts';
import { phaseColumns, phaseRows } from './phases-table.ts';
import { originOf } from './run-digest.ts';
import { visible } from './style.ts';
import { figuresInWords, verdictInWords } from './verdict.ts';
import { type Cell, type Sheet, Workbook } from './workbook.ts';

const caseColumns = 'page case address outcome row request status milliseconds why'.split(' ');
const checkColumns = 'page case address holds check expected found at file line'.split(' ');

/** Four sheets: the summary, a row for each time that a case ran, one for each check, one for each exchange. */
export async function* spreadsheetReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<Uint8Array> {
  const workbook = new Workbook();
  const summary = workbook.sheet('Summary', [28, 40], false);
  const cases = table(workbook, 'Cases', caseColumns);
  const checks = table(workbook, 'Checks', checkColumns);
  const exchanges = table(workbook, 'Exchanges', Object.keys(operationColumns));
  const statistics = new RunStatistics();
  const origins = new Set<string>();
  let several = false;
  for await (const part of casesOf(heardBy(event => statistics.add(event), events))) {
    if ('run' in part) {
      several = part.run.rounds !== 1;
      summary.add([{ text: visible(part.run.title), style: 'heading' }]);
      summary.add([verdictInWords(totals)]);
      summary.add([figuresInWords(totals)]);
      summary.add([]);
      for (const [name, value] of factsOf(part.run, totals, [])) summary.add([bold(name), visible(value)]);
      continue;
    }
    if ('end' in part) continue;
    const { event, page } = part;
    const about = [pageTitleOf(page, several), titleOf(event), event.case];
    const why = event.problem?.message ?? whySkipped(event) ?? event.blocked?.cause;
    addTo(cases, [...about, event.outcome, event.row?.values, event.request, event.status, event.time, why]);
    for (const { holds, text, expected, found, at, place } of part.checks)
      addTo(checks, [...about, holds, text, expected, found, at, place.file, place.line]);
    for (const operation of part.operations) {
      const view = viewOf(operation);
      const origin = originOf(view.target);
      if (origin !== undefined) origins.add(origin);
      addTo(
        exchanges,
        Object.values(operationColumns).map(read => read({ ...part, operation, view })),
      );
    }
    yield* workbook.take();
  }
  summary.add([bold('Endpoints'), visible([...origins].join(', '))]);
  summary.add([]);
  for (const { text, holds, found } of totals.bounds)
    summary.add([bold(holds === 'yes' ? 'Bound kept' : 'Bound not kept'), visible(text), visible(found)]);
  for (const row of figures(statistics)) summary.add(row);
  if (statistics.load) {
    const phases = table(workbook, 'Phases', phaseColumns);
    for (const row of phaseRows(statistics.load.phases)) addTo(phases, [...row]);
  }
  for (const sheet of workbook.sheets) {
    sheet.end(
      sheet.left > 0
        ? `${grouped(sheet.left)} more rows are not written here; a report .csv or .ndjson has all.`
        : undefined,
    );
    yield* workbook.take();
  }
  yield* workbook.end();
}

function table(workbook: Workbook, name: string, columns: readonly string[]): Sheet {
  const sheet = workbook.sheet(
    name,
    columns.map(column => Math.max(10, widths[column] ?? column.length + 2)),
    true,
  );
  sheet.add(columns.map(bold));
  return sheet;
}

/** In characters. */
const widths: { readonly [column: string]: number } = withoutPrototype({
  page: 24,
  case: 32,
  address: 36,
  request: 28,
  check: 44,
  expected: 24,
  found: 32,
  why: 40,
  file: 24,
  url: 48,
  started: 24,
});

function addTo(sheet: Sheet, values: readonly (string | number | undefined)[]): void {
  sheet.add(values.map(value => (typeof value === 'string' ? visible(value) : value)));
}

function bold(text: string): Cell {
  return { text, style: 'bold' };
}

/** Request by request, times in milliseconds. */
function figures({ repeated, total, repeats }: RunStatistics): Cell[][] {
  if (!repeats || total.times.count === 0) return [];
  const names = ['request', '', 'sent', 'failed', 'Apdex', 'shortest', 'mean'];
  const rows = [...repeated, { title: 'In total', request: '', figures: total }];
  return [
    [],
    [...names, ...toldPercents.map(percent => `${percent} %`), 'longest'].map(bold),
    ...rows.map(({ title, request, figures: { requests: sent, failed, apdex, times } }) => [
      visible(title),
      visible(request),
      sent,
      failed,
      apdex,
      times.min,
      times.mean,
      ...toldPercents.map(percent => percentileOf(times, percent)),
      times.max,
    ]),
  ];
}
