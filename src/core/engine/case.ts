import type { World } from '../language/functions/signature.ts';
import type { Entry } from '../language/scene.ts';
import type { PlannedCase, PlannedEach } from '../plan/plan.ts';
import type { CaseEvent, Outcome } from '../record/events.ts';
import { cut, describe } from '../values/describe.ts';
import { textOf } from '../values/text.ts';
import { kindInWords, kindOf, Missing, type Value } from '../values/value.ts';
import type { OsEnvironment } from '../variables/definition.ts';
import type { Ended, RunContext } from './run.ts';
import { CaseScene, type PassScope } from './scope.ts';
import { caseEvent, StepRunner } from './steps.ts';

/** Carries out a case: once, or once for each row of its table or item of its list. */
export async function runCase(
  planned: PlannedCase,
  round: number,
  scope: PassScope,
  ended: Ended,
  context: RunContext,
): Promise<void> {
  const tell = (event: CaseEvent) => {
    ended.set(planned.address, event);
    context.emit(event);
  };
  const blocked = blockedBy(planned, scope, ended);
  if (blocked) {
    forgetProducts(planned, scope);
    tell({ ...caseEvent(planned, round, blocked.outcome), blocked: blocked.blocked });
  } else if (!planned.each) {
    ended.set(planned.address, await new StepRunner(planned, round, scope, context).run());
  } else {
    const rows = rowsOf(planned.each, planned, scope, context);
    if (rows instanceof Missing) {
      const problem = { message: `${planned.each.text}: ${rows.reason}.`, place: planned.each.place };
      forgetProducts(planned, scope);
      tell({ ...caseEvent(planned, round, 'error'), problem });
    } else ended.set(planned.address, { outcome: await runRows(planned, rows, round, scope, context) });
  }
}

/** A case is blocked where a name that it needs did not come about; skipped, where its producer was skipped. */
function blockedBy(
  { needs, cleanup }: PlannedCase,
  scope: PassScope,
  ended: Ended,
): { outcome: Outcome; blocked: NonNullable<CaseEvent['blocked']> } | undefined {
  for (const { name, ownPage, producers } of needs) {
    if ((ownPage ? scope.page : scope.kept).has(name)) continue;
    const by = producers.findLast(address => ended.has(address)) ?? producers[0]!;
    const producer = ended.get(by);
    const cause = producer?.blocked?.cause ?? by;
    // What never came about needs no cleaning up.
    const skipped = cleanup || producer?.outcome === 'skipped';
    return { outcome: skipped ? 'skipped' : 'blocked', blocked: { name, by, cause } };
  }
  return undefined;
}

type Row = ReadonlyMap<string, Entry>;

export function rowsOf(
  each: PlannedEach,
  planned: PlannedCase,
  scope: PassScope,
  { ports }: { readonly ports: World & { readonly environment: OsEnvironment } },
): readonly Row[] | Missing {
  const entry = (name: string, value: Value, origin: string): [string, Entry] => [
    name,
    { value, origin, secret: scope.isSecret(name) },
  ];
  if (each.kind === 'rows')
    return each.rows
      .slice(0, each.most)
      .map(
        (row, index) =>
          new Map(
            [...row].map(([name, value]) => entry(name, value, `from row ${index + 1} of ${each.name}`)),
          ),
      );
  const list = each.list(new CaseScene(scope, planned, ports, ports.environment));
  if (list instanceof Missing) return list;
  if (!Array.isArray(list)) return new Missing(`${each.written} is ${kindInWords(kindOf(list))}, no list`);
  if (list.length === 0) return new Missing(`${each.written} is empty, so there is nothing to run it for`);
  return list
    .slice(0, each.most)
    .map((value, index) => new Map([entry(each.name, value, `item ${index + 1} of ${each.written}`)]));
}

/** Every row has an outcome of its own; the case as a whole has the worst of them. */
async function runRows(
  planned: PlannedCase,
  rows: readonly Row[],
  round: number,
  scope: PassScope,
  context: RunContext,
): Promise<Outcome> {
  const names = namesMade(planned);
  const before = new Map(
    names.map(name => [name, { page: scope.page.get(name), kept: scope.kept.get(name) }]),
  );
  const made = new Map<string, { page: Entry[]; kept: Entry[] }>(
    names.map(name => [name, { page: [], kept: [] }]),
  );
  let worst: Outcome = 'skipped';
  for (const [index, row] of rows.entries()) {
    if (context.options.signal.aborted) break;
    for (const [name, { page, kept }] of before) {
      put(scope.page, name, page);
      put(scope.kept, name, kept);
    }
    for (const { value, secret } of row.values()) if (secret) context.masker.addValue(value, 'passing');
    scope.row = row;
    const told = { number: index + 1, total: rows.length, values: rowInWords(row) };
    const { outcome } = await new StepRunner(planned, round, scope, context, told).run();
    scope.row = undefined;
    if (severity.indexOf(outcome) > severity.indexOf(worst)) worst = outcome;
    for (const [name, { page, kept }] of made) {
      if (scope.page.has(name)) page.push(scope.page.get(name)!);
      if (scope.kept.has(name)) kept.push(scope.kept.get(name)!);
    }
  }
  for (const [name, { page, kept }] of made) {
    put(scope.page, name, listOf(page, planned));
    put(scope.kept, name, listOf(kept, planned));
  }
  return worst;
}

/** From harmless to grave. */
const severity: readonly Outcome[] = ['skipped', 'passed', 'blocked', 'failed', 'error'];

/** What rows have made is outside of them the list of their values. */
function listOf(entries: readonly Entry[], { address }: PlannedCase): Entry | undefined {
  if (entries.length === 0) return undefined;
  return {
    value: entries.map(({ value }) => value),
    origin: `from the rows of ${address}`,
    secret: entries.some(({ secret }) => secret),
  };
}

function put(names: Map<string, Entry>, name: string, entry: Entry | undefined): void {
  if (entry) names.set(name, entry);
  else names.delete(name);
}

function rowInWords(row: Row): string {
  return cut(
    [...row].map(([name, { value }]) => `${name} ${textOf(value) ?? describe(value)}`).join(', '),
    80,
  );
}

function namesMade({ steps }: PlannedCase): string[] {
  return [
    ...new Set(steps.flatMap(step => (step.kind === 'keep' || step.kind === 'let' ? [step.name] : []))),
  ];
}

/** A name that a case was to make does not keep the value that an earlier case gave it. */
function forgetProducts(planned: PlannedCase, scope: PassScope): void {
  for (const step of planned.steps) {
    if (step.kind !== 'keep' && step.kind !== 'let') continue;
    scope.page.delete(step.name);
    if (step.kind === 'keep') scope.kept.delete(step.name);
  }
}
