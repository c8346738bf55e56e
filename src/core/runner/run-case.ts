import type { PlannedCase, PlannedEach } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { CaseEvent } from '../model/events.ts';
import type { Outcome } from '../model/outcomes.ts';
import { kindInWords, kindOf, Missing } from '../model/value.ts';
import { TableError } from '../values/table-reader.ts';
import { caseEvent } from './case-event.ts';
import { CaseRun } from './case-run.ts';
import { rowInWords, type TakenRow, takeRows } from './rows.ts';
import { rowsRequest } from './rows-request.ts';
import type { CaseOutcomes, RunContext } from './run-context.ts';
import { CaseEvaluation, type PageScope } from './scope.ts';

/** Carries out a case: once, or once for each row of its table or item of its list. */
export async function runCase(
  planned: PlannedCase,
  scope: PageScope,
  ended: CaseOutcomes,
  context: RunContext,
): Promise<void> {
  const { eventContext, emit } = context;
  const tell = (event: CaseEvent) => {
    for (const { gives = [] } of planned.steps) for (const given of gives) scope.forget(given);
    ended.set(planned.address, event);
    emit(event);
  };
  const blocked = blockedBy(planned, scope, ended);
  if (blocked) {
    tell({ ...caseEvent(planned, eventContext, blocked.outcome), blocked: blocked.blocked });
    return;
  }
  if (!planned.each) {
    const pause = context.beforeCase();
    if (pause) await pause;
    if (context.isOver) return;
    ended.set(planned.address, await new CaseRun(planned, scope, context).run());
  } else {
    const rows = rowsOf(planned.each, planned, scope, context);
    if (rows instanceof Missing) {
      const problem = { message: `${planned.each.text}: ${rows.reason}.`, place: planned.each.place };
      tell({ ...caseEvent(planned, eventContext, 'error'), problem });
    } else ended.set(planned.address, { outcome: await runRows(planned, rows, scope, context) });
  }
  const outcome = ended.get(planned.address)?.outcome;
  if (outcome === 'failed' || outcome === 'error') context.onFailure();
}

type Blocked = NonNullable<CaseEvent['blocked']>;

/**
 * A case is blocked where a name that it needs did not come about, or a case that it needs did not pass; skipped, where
 * that was skipped.
 */
function blockedBy(
  { needs, after, cleanup }: PlannedCase,
  scope: PageScope,
  ended: CaseOutcomes,
): { outcome: Outcome; blocked: Blocked } | undefined {
  const because = (by: string, name?: string) => {
    const producer = ended.get(by);
    // What never came about needs no cleaning up.
    const skipped = cleanup || producer?.outcome === 'skipped';
    const blocked: Blocked = { by, cause: producer?.blocked?.cause ?? by };
    if (name !== undefined) blocked.name = name;
    return { outcome: skipped ? ('skipped' as const) : ('blocked' as const), blocked };
  };
  for (const address of after) if (ended.get(address)?.outcome !== 'passed') return because(address);
  for (const { name, ownPage, producers } of needs) {
    const isThere = ownPage
      ? scope.names.has(name)
      : producers.some(address => scope.iteration.page(fileOf(address))?.kept.has(name));
    if (!isThere) return because(producers.findLast(address => ended.has(address)) ?? producers[0]!, name);
  }
  return undefined;
}

function fileOf(address: string): string {
  return address.slice(0, address.indexOf('#'));
}

/** What a case is carried out for each of. */
export function rowsOf(
  each: PlannedEach,
  planned: PlannedCase,
  scope: PageScope,
  context: RunContext,
): AsyncIterable<TakenRow> | Iterable<TakenRow> | Missing {
  const { values } = scope.iteration;
  if (each.kind === 'rows')
    return takeRows({ ...each.table, ...(each.most !== undefined && { most: each.most }) }, values, () =>
      rowsRequest(scope.iteration, planned, context),
    );
  const list = each.list(new CaseEvaluation(scope, planned, context.clockAndRandom));
  if (list instanceof Missing) return list;
  if (!Array.isArray(list)) return new Missing(`${each.written} is ${kindInWords(kindOf(list))}, no list`);
  if (list.length === 0) return new Missing(`${each.written} is empty, so there is nothing to run it for`);
  return list.slice(0, each.most).map((value, index, { length: total }) => {
    const origin = `item ${index + 1} of ${each.written}`;
    const entries = new Map([[each.name, values.make(each.name, value, { origin })]]);
    return { entries, recorded: { number: index + 1, total, values: rowInWords(entries) } };
  });
}

/** Every row has an outcome of its own; the case as a whole has the worst of them. */
async function runRows(
  planned: PlannedCase,
  rows: AsyncIterable<TakenRow> | Iterable<TakenRow>,
  scope: PageScope,
  context: RunContext,
): Promise<Outcome> {
  const names = namesMade(planned);
  const before = new Map(
    names.map(name => [name, { page: scope.names.get(name), kept: scope.kept.get(name) }]),
  );
  const made = new Map<string, { page: Entry[]; kept: Entry[] }>(
    names.map(name => [name, { page: [], kept: [] }]),
  );
  let worst: Outcome = 'skipped';
  const add = (outcome: Outcome) => {
    if (severity.indexOf(outcome) > severity.indexOf(worst)) worst = outcome;
    if (outcome === 'failed' || outcome === 'error') context.onFailure();
  };
  try {
    for await (const { entries, recorded } of rows) {
      if (context.isOver) break;
      await context.beforeCase();
      if (context.isOver) break;
      for (const [name, { page, kept }] of before) {
        put(scope.names, name, page);
        put(scope.kept, name, kept);
      }
      scope.row = entries;
      const { outcome } = await new CaseRun(planned, scope, context, recorded).run();
      scope.row = undefined;
      add(outcome);
      for (const [name, { page, kept }] of made) {
        if (scope.names.has(name)) page.push(scope.names.get(name)!);
        if (scope.kept.has(name)) kept.push(scope.kept.get(name)!);
      }
    }
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    const { place, text } = planned.each!;
    const problem = { message: `${text}: ${error.message}.`, place, ...error.inPage };
    context.emit({ ...caseEvent(planned, context.eventContext, 'error'), problem });
    add('error');
  }
  for (const [name, { page, kept }] of made) {
    put(scope.names, name, listOf(name, page, planned, scope));
    put(scope.kept, name, listOf(name, kept, planned, scope));
  }
  return worst;
}

/** From harmless to grave. */
const severity: readonly Outcome[] = ['skipped', 'passed', 'blocked', 'failed', 'error'];

/** What rows have made is outside of them the list of their values. */
function listOf(
  name: string,
  entries: readonly Entry[],
  { address }: PlannedCase,
  { iteration }: PageScope,
): Entry | undefined {
  if (entries.length === 0) return undefined;
  const origin = `from the rows of ${address}`;
  const secret = entries.some(each => each.secret);
  return iteration.values.make(
    name,
    entries.map(({ value }) => value),
    { origin, secret },
  );
}

function put(names: Map<string, Entry>, name: string, entry: Entry | undefined): void {
  if (entry) names.set(name, entry);
  else names.delete(name);
}

function namesMade({ steps }: PlannedCase): string[] {
  return [...new Set(steps.flatMap(({ gives = [] }) => gives.map(({ name }) => name)))];
}
