import writeSpreadsheet, { type Cell, type Row } from 'write-excel-file/node';
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
import { originOf } from './run-digest.ts';
import { visible } from './style.ts';
import { figuresInWords, verdictInWords } from './verdict.ts';

/** So many rows of a sheet are written: the whole of it has to fit in memory, and few read more. */
const mostRows = 100_000;
/** What a cell can hold. */
const longestText = 32_767;

/** Four sheets: the summary, a row for each time that a case ran, one for each check, one for each exchange. */
export async function* spreadsheetReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<Uint8Array> {
  const cases = new Sheet('Cases', [
    'page',
    'case',
    'address',
    'outcome',
    'row',
    'request',
    'status',
    'milliseconds',
    'why',
  ]);
  const checks = new Sheet('Checks', [
    'page',
    'case',
    'address',
    'holds',
    'check',
    'expected',
    'found',
    'at',
    'file',
    'line',
  ]);
  const exchanges = new Sheet('Exchanges', Object.keys(operationColumns));
  const statistics = new RunStatistics();
  const origins = new Set<string>();
  const summary: Row[] = [];
  let several = false;
  for await (const part of casesOf(heardBy(event => statistics.add(event), events))) {
    if ('run' in part) {
      several = part.run.rounds !== 1;
      summary.push(
        [heading(text(part.run.title))],
        [text(verdictInWords(totals))],
        [text(figuresInWords(totals))],
        [],
      );
      summary.push(...factsOf(part.run, totals, []).map(([name, value]) => [quiet(name), text(value)]));
      continue;
    }
    if ('end' in part) continue;
    const { event, page } = part;
    const about = [pageTitleOf(page, several), titleOf(event), event.case];
    const why = event.problem?.message ?? whySkipped(event) ?? event.blocked?.cause;
    cases.add([...about, event.outcome, event.row?.values, event.request, event.status, event.time, why]);
    for (const { holds, text: written, expected, found, at, place } of part.checks)
      checks.add([...about, holds, written, expected, found, at, place.file, place.line]);
    for (const operation of part.operations) {
      const view = viewOf(operation);
      const origin = originOf(view.target);
      if (origin !== undefined) origins.add(origin);
      exchanges.add(Object.values(operationColumns).map(read => read({ ...part, operation, view })));
    }
  }
  summary.push([quiet('Endpoints'), text([...origins].join(', '))], []);
  for (const { text: bound, holds, found } of totals.bounds)
    summary.push([quiet(holds === 'yes' ? 'Bound kept' : 'Bound not kept'), text(bound), text(found)]);
  summary.push(...figures(statistics));
  yield await writeSpreadsheet([
    { data: summary, sheet: 'Summary', columns: [{ width: 28 }, { width: 40 }] },
    ...[cases, checks, exchanges].map(sheet => sheet.written()),
  ]).toBuffer();
}

type Value = string | number | undefined;

class Sheet {
  readonly #rows: Row[];
  #left = 0;

  constructor(
    readonly name: string,
    readonly columns: readonly string[],
  ) {
    this.#rows = [columns.map(quiet)];
  }

  add(values: readonly Value[]): void {
    if (this.#rows.length > mostRows) this.#left++;
    else this.#rows.push(values.map(value => (typeof value === 'string' ? text(value) : value)));
  }

  written() {
    if (this.#left > 0)
      this.#rows.push([
        text(`${grouped(this.#left)} more rows are not written here; a report .csv or .ndjson has all.`),
      ]);
    return {
      data: this.#rows,
      sheet: this.name,
      stickyRowsCount: 1,
      columns: this.columns.map(name => ({ width: Math.max(10, widths[name] ?? name.length + 2) })),
    };
  }
}

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

/** A text is written as one, so that no program takes it for a formula. */
function text(value: string): Cell {
  const shown = visible(value);
  const short = shown.length > longestText ? `${shown.slice(0, longestText - 2)} …` : shown;
  return { value: short, type: String };
}

function heading(cell: Cell): Cell {
  return { ...(cell as object), fontWeight: 'bold', fontSize: 14 } as Cell;
}

function quiet(value: string): Cell {
  return { value, type: String, fontWeight: 'bold' };
}

/** Request by request, times in milliseconds. */
function figures({ repeated, total, repeats }: RunStatistics): Row[] {
  if (!repeats || total.times.count === 0) return [];
  const names = [
    'request',
    '',
    'sent',
    'failed',
    'Apdex',
    'shortest',
    'mean',
    '50 %',
    '90 %',
    '95 %',
    '99 %',
    'longest',
  ];
  const rows = [...repeated, { title: 'In total', request: '', figures: total }];
  return [
    [],
    names.map(quiet),
    ...rows.map(({ title, request, figures: { requests: sent, failed, apdex, times } }) => [
      text(title),
      text(request),
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
