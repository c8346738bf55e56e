import type { Plan, PlannedPage } from '../plan/plan.ts';
import type { CaseEvent, RunEvent } from '../record/events.ts';
import { Masker } from '../record/mask.ts';
import { recordVersion } from '../record/outcomes.ts';
import type { OsEnvironment } from '../variables/definition.ts';
import { runCase } from './case.ts';
import type { Ports } from './ports.ts';
import { PassScope } from './scope.ts';
import { toMicrosecond } from './time.ts';

export interface RunOptions {
  /** Name and version of the program, for the record. */
  readonly tool: string;
  readonly rounds: number;
  /** Whether exchanges carry their bodies: needed where a record is written. */
  readonly bodies: boolean;
  readonly signal: AbortSignal;
  /** Ends what cleans up; without it, that ends with the rest. */
  readonly cleanUpSignal?: AbortSignal;
  /** Learns of the secrets; handed in by those who print more than the events. */
  readonly masker?: Masker;
}

/** What a pass knows of the cases that have ended. */
export type Ended = Map<string, Pick<CaseEvent, 'outcome' | 'blocked'>>;

export interface RunContext {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly emit: (event: RunEvent) => void;
}

/**
 * Carries out a plan. Everything that happens comes out as events, in order, with the secrets masked. What goes wrong
 * in a case is an event too; only our own mistakes are thrown.
 */
export async function run(
  plan: Plan,
  ports: Ports,
  options: RunOptions,
  emit: (event: RunEvent) => void,
): Promise<void> {
  const { masker = new Masker() } = options;
  const begin = ports.elapsed();
  const context: RunContext = {
    ports,
    options,
    masker,
    emit: event => emit(masker.isEmpty ? event : masker.deep(event)),
  };
  addKnownSecrets(plan, masker, ports.environment);
  context.emit({
    type: 'run',
    version: recordVersion,
    tool: options.tool,
    at: isoTime(ports.now()),
    title: plan.title,
    ...(plan.environment !== undefined && { environment: plan.environment }),
    rounds: options.rounds,
    cases: casesIn(plan),
  });
  for (let round = 1; round <= options.rounds && !options.signal.aborted; round++) {
    const scope = new PassScope(plan);
    masker.beginPass();
    const ended: Ended = new Map();
    for (const page of plan.pages) await runPage(page, round, scope, ended, context);
    await cleanUp(plan, round, scope, ended, context);
  }
  context.emit({
    type: 'end',
    at: isoTime(ports.now()),
    time: toMicrosecond(ports.elapsed() - begin),
    interrupted: options.signal.aborted,
  });
}

async function runPage(
  page: PlannedPage,
  round: number,
  scope: PassScope,
  ended: Ended,
  context: RunContext,
): Promise<void> {
  if (context.options.signal.aborted) return;
  scope.beginPage(page, context.ports.openJar);
  context.emit({ type: 'page', round, file: page.file, title: page.title });
  for (const planned of page.cases) {
    if (context.options.signal.aborted) return;
    if (!planned.cleanup) await runCase(planned, round, scope, ended, context);
  }
}

/** At the end of a pass, also where it was interrupted: the latest page first. */
async function cleanUp(
  plan: Plan,
  round: number,
  scope: PassScope,
  ended: Ended,
  context: RunContext,
): Promise<void> {
  const pages = plan.pages.filter(page => page.cases.some(({ cleanup }) => cleanup));
  const { cleanUpSignal = context.options.signal } = context.options;
  const calm = { ...context, options: { ...context.options, signal: cleanUpSignal } };
  for (const page of pages.toReversed()) {
    if (!scope.resumePage(page)) continue;
    context.emit({ type: 'page', round, file: page.file, title: page.title, cleanup: true });
    for (const planned of page.cases) {
      if (cleanUpSignal.aborted) return;
      if (planned.cleanup) await runCase(planned, round, scope, ended, calm);
    }
  }
}

/** As far as it is known before: the rows of a table count one by one. */
function casesIn({ pages }: Plan): number {
  return pages
    .flatMap(page => page.cases)
    .reduce((sum, { each }) => sum + (each?.kind === 'rows' ? each.rows.length : 1), 0);
}

/** Secret variables are masked from the first line on, also where no request refers to them. */
export function addKnownSecrets(
  { pages, given, secretNames }: Plan,
  masker: Masker,
  environment: OsEnvironment,
): void {
  if (secretNames.size === 0) return;
  for (const [name, value] of given) if (secretNames.has(name)) masker.addValue(value, 'lasting');
  const variables = pages
    .flatMap(page => page.cases)
    .flatMap(({ near, outer }) => [...near.values(), ...outer.values()]);
  for (const definition of new Set(variables)) {
    if (!secretNames.has(definition.name) || definition.references.length > 0) continue;
    try {
      masker.addValue(definition.resolve({ lookup: () => undefined }, environment).value, 'lasting');
    } catch {
      // Where its value is missing, the step that needs it says so.
    }
  }
}

export function isoTime(milliseconds: number): string {
  return new Date(milliseconds).toISOString();
}
