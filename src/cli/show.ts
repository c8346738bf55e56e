import type { Plan, PlannedCase } from '../core/analysis/plan.ts';
import { type ValueSource, valueSourcesOf } from '../core/analysis/value-sources.ts';
import type { Entry } from '../core/language/evaluation-context.ts';
import type { Place } from '../core/model/place.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Plain, type Value } from '../core/model/value.ts';
import { type PreviewedRequest, previewCase } from '../core/runner/preview.ts';
import { takeRows } from '../core/runner/rows.ts';
import { addKnownSecrets } from '../core/runner/run.ts';
import type { RowEntries } from '../core/runner/scope.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { textOfParts } from '../core/steps/http/exchange-event.ts';
import type { OutgoingRequest } from '../core/steps/http/http-port.ts';
import { redactedIn } from '../core/steps/http/redact.ts';
import { counted } from '../core/text/words.ts';
import { describe } from '../core/values/describe.ts';
import { clockAndRandom } from '../platform/external-sources.ts';
import { fieldsText } from '../reports/exchange-text.ts';
import { type NamedValue, namedLines } from '../reports/names.ts';
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
  const sending = asked.filter(each => each.steps.some(step => step.kind === 'http'));
  if (sending.length === 0 && errors.length === 0) throw new UsageError(`'${path}' sends nothing.`);
  for (const [index, planned] of sending.entries()) {
    if (index > 0) terminal.out('\n');
    await showCase(planned, prepared, terminal);
  }
  if (errors.length > 0) process.exitCode = exitCodes.nothingSent;
}

/** Of tables the first row is shown; the items of a list are known only when they are. */
async function firstRow(planned: PlannedCase, { pages, secretNames }: Plan): Promise<RowEntries> {
  const page = pages.find(each => each.cases.includes(planned));
  const tables = [page?.rows, planned.each?.kind === 'rows' ? planned.each : undefined];
  const rows: (readonly [string, Entry])[] = [];
  for (const table of tables) {
    if (!table) continue;
    const taken = takeRows({ ...table, most: 1 }, name => secretNames.has(name));
    for await (const { entries } of taken) rows.push(...entries);
  }
  return new Map(rows);
}

async function showCase(planned: PlannedCase, prepared: Prepared, terminal: Terminal): Promise<void> {
  const { plan, external } = prepared;
  const { out, paint } = terminal;
  const masker = new Masker();
  addKnownSecrets(plan, masker, external);
  const row = await firstRow(planned, plan);
  for (const { value, secret } of row.values()) if (secret) masker.addValue(value, 'lasting');
  const { requests, lookup } = previewCase(plan, planned, clockAndRandom, external, row);
  for (const { secrets, request } of requests) {
    for (const secret of secrets) masker.addValue(secret, 'lasting');
    const exchange = request && { request, times: { total: 0 }, received: 0 };
    if (!exchange) continue;
    // What would take too long to be found hides the whole body.
    for (const value of redactedIn(exchange, plan.redacted) ?? [textOfParts(request.body ?? [])])
      masker.addValue(value, 'lasting');
  }
  const lines = [paint('strong', visible(planned.title)) + paint('quiet', `  ${planned.address}`)];
  const measure = await createMeasure([JSON.stringify(requests)]);
  for (const each of requests) lines.push('', ...requestLines(each, masker, measure, terminal));
  const names = [...new Set(requests.flatMap(each => each.names))];
  const tellValue = (name: string) => {
    if (plan.secretNames.has(name)) return '[secret]';
    const entry = lookup(name);
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

function requestLines(
  { request, problem }: PreviewedRequest,
  masker: Masker,
  measure: Measure,
  { paint, width }: Terminal,
): string[] {
  if (!request) return [paint('failed', `This cannot be sent: ${masker.text(problem!)}`)];
  const masked = masker.deep({ ...request, credentials: undefined, auth: undefined, jar: undefined });
  const body = masked.body && textOfParts(masked.body);
  const view = { paint, measure, width };
  return [
    paint('strong', `${masked.method} ${visible(masked.url)}`),
    ...fieldsText(
      [...hostOf(masked), ...masked.headers, ...lengthOf(request)],
      view,
      masker.deep(toldFields(request)),
    ),
    ...(body === undefined ? [] : ['', visible(body.replaceAll('\r\n', '\n').replace(/\n+$/, ''))]),
  ];
}

/** What is sent as Host, where the address is known and no header says otherwise. */
function hostOf({ url, headers }: Pick<OutgoingRequest, 'url' | 'headers'>): [string, string][] {
  const host = /^https?:\/\/([^/?#{}]+)(?:[/?#]|$)/i.exec(url)?.[1];
  return host === undefined || headers.some(([name]) => /^host$/i.test(name)) ? [] : [['Host', host]];
}

/** A length that hangs on values that are not known yet is not told. */
function lengthOf({ body }: OutgoingRequest): [string, string][] {
  if (!body?.every(part => typeof part === 'string')) return [];
  const text = body.join('');
  return /\{[A-Za-z][\w.-]*\}/.test(text) ? [] : [['Content-Length', String(Buffer.byteLength(text))]];
}

/** What can only be said, since a server has a word in it. */
function toldFields({ auth }: OutgoingRequest): [string, string][] {
  if (auth?.kind === 'digest')
    return [['Authorization', `Digest of ${auth.user}, once the server has sent its challenge`]];
  if (auth?.kind === 'oauth2')
    return [['Authorization', `Bearer, with a token of ${auth.fields.get('token-url')} (${auth.flow})`]];
  return [];
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
    const from = counts ? giverText(counts) : 'nowhere';
    return { name, value: tellValue(name), from, hides: hidden.map(giverText) };
  });
}

/** Where something gets its value, with its place where that says more. */
export function giverText({ origin, place, definition }: ValueSource): string {
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
