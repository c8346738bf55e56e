import type { Plan, PlannedCase } from '../core/analysis/plan.ts';
import { type ValueSource, valueSourcesOf } from '../core/analysis/value-sources.ts';
import type { Entry } from '../core/language/evaluation-context.ts';
import type { Place } from '../core/model/place.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Plain, type Value } from '../core/model/value.ts';
import { addKnownSecrets } from '../core/runner/known-secrets.ts';
import { previewCase, type ShownOperation } from '../core/runner/preview.ts';
import { rowsIn, takeRow } from '../core/runner/rows.ts';
import type { RowEntries } from '../core/runner/scope.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { NamedValues } from '../core/secrecy/named-values.ts';
import { counted } from '../core/text/words.ts';
import { describe } from '../core/values/describe.ts';
import { clockAndRandom } from '../platform/external-sources.ts';
import { fieldsText } from '../reports/exchange-text.ts';
import { type NamedValue, namedLines } from '../reports/name-lines.ts';
import { createMeasure, type Measure, visible, wrap } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { type PlanFlags, type Prepared, preparePlan, printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** Shows the requests of cases as they would go out, and where each value comes from. Nothing is sent. */
export async function showCommand(path: string, flags: PlanFlags, terminal: Terminal): Promise<void> {
  const prepared = await preparePlan([path], { ...flags, cleansUp: false });
  const { plan, findings } = prepared;
  const errors = findings.filter(each => each.severity === 'error');
  if (errors.length > 0) await printFindings(errors, terminal);
  const asked = plan.pages.flatMap(page => page.cases).filter(each => each.asked);
  const sending = asked.filter(each => each.steps.some(step => step.operation !== undefined));
  if (sending.length === 0 && errors.length === 0) throw new UsageError(`'${path}' sends nothing.`);
  for (const [index, planned] of sending.entries()) {
    if (index > 0) terminal.out('\n');
    await showCase(planned, prepared, terminal);
  }
  if (errors.length > 0) process.exitCode = exitCodes.nothingSent;
}

/** Of tables the first row is shown; rows that are asked for, and the items of a list, are known only when they are. */
async function firstRow(planned: PlannedCase, { pages }: Plan, values: NamedValues): Promise<RowEntries> {
  const page = pages.find(each => each.cases.includes(planned));
  const tables = [page?.rows, planned.each?.kind === 'rows' ? planned.each.table : undefined];
  const rows: (readonly [string, Entry])[] = [];
  for (const table of tables) {
    if (!table || 'ask' in table) continue;
    for await (const row of rowsIn(table)) {
      rows.push(...takeRow(row, values).entries);
      break;
    }
  }
  return new Map(rows);
}

async function showCase(planned: PlannedCase, prepared: Prepared, terminal: Terminal): Promise<void> {
  const { plan, external } = prepared;
  const { out, paint } = terminal;
  const masker = new Masker();
  const values = new NamedValues(plan.secretNames, masker, 'lasting');
  addKnownSecrets(plan, values, external);
  const row = await firstRow(planned, plan, values);
  const { operations, lookup } = previewCase(plan, planned, { clockAndRandom, external, row, values });
  const lines = [paint('strong', visible(planned.title)) + paint('quiet', `  ${planned.address}`)];
  const measure = await createMeasure([JSON.stringify(operations)]);
  for (const each of operations) lines.push('', ...operationLines(each, masker, measure, terminal));
  const names = [...new Set(operations.flatMap(each => each.names))];
  const tellValue = (name: string) => {
    const entry = lookup(name);
    if (values.isSecret(name) || entry?.secret) return '[secret]';
    return entry ? masker.text(valueText(entry.value)) : 'known once it has run';
  };
  const view = { paint, measure, width: terminal.width };
  lines.push('', ...namedLines(namedValues(names, tellValue, planned, prepared), view).flat());
  const first = plan.pages.flatMap(page => page.cases).filter(each => !each.asked);
  if (first.length > 0)
    lines.push(
      '',
      ...wrap(
        `${counted(first.length, 'case')} would run first: ${first.map(each => each.address).join(', ')}`,
        Math.max(60, terminal.width),
        measure,
      ).map(line => paint('quiet', line)),
    );
  out(`${lines.join('\n')}\n`);
}

function operationLines(
  { lines, problem }: ShownOperation,
  masker: Masker,
  measure: Measure,
  { paint, width }: Terminal,
): string[] {
  if (!lines) return [paint('failed', `This cannot be sent: ${masker.text(problem!)}`)];
  const { title, fields, notes, text } = masker.deep(lines);
  return [
    paint('strong', visible(title)),
    ...fieldsText(fields, { paint, measure, width }, notes),
    ...(text === undefined ? [] : ['', visible(text.replaceAll('\r\n', '\n').replace(/\n+$/, ''))]),
  ];
}

/** Each value, where it comes from, and what it hides. */
function namedValues(
  names: readonly string[],
  tellValue: (name: string) => string,
  planned: PlannedCase,
  { flow }: Prepared,
): NamedValue[] {
  const user = flow.collection.pages
    .flatMap(page => page.cases)
    .find(each => each.address === planned.address)!;
  return names.map(name => {
    const [counts, ...hidden] = valueSourcesOf(name, user, flow);
    const from = counts ? sourceText(counts) : 'nowhere';
    return { name, value: tellValue(name), from, hides: hidden.map(sourceText) };
  });
}

/** Where something gets its value, with its place where that says more. */
export function sourceText({ origin, place, definition }: ValueSource): string {
  if (!place || !definition) return origin;
  const where = placeText(place);
  return origin === `from ${place.file}` ? where : `${origin.replace(/^from /, '')}, ${where}`;
}

export function placeText({ file, line }: Place): string {
  return `${file}:${line}`;
}

/** A value without a kind of its own stands without quotes. */
export function valueText(value: Value): string {
  return value instanceof Plain ? value.text : describe(value);
}
