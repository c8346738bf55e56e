import type { Plan } from '../../analysis/plan.ts';
import type { RecordedLoad } from '../../model/load-events.ts';
import type { FiguredParts } from '../../record/load/figured-parts.ts';
import type { LoadOptions } from '../run-options.ts';

/** What the record says of a load before it begins. */
export function recordedLoad(plan: Plan, load: LoadOptions, threads: number): RecordedLoad {
  const hasDueRounds = load.phases.some(({ unit }) => unit === 'rounds');
  return {
    phases: load.phases.map(({ number, label, text, unit, from, to, lasting }) => ({
      ...{ number, text, unit, from, to, lasting },
      ...(label !== undefined && { label }),
    })),
    ...(load.stops.length > 0 && { stops: load.stops.map(({ text }) => text) }),
    ...(load.rows && { rows: load.rows.table.name }),
    sample: load.sample,
    ...(hasDueRounds && { mostUsers: load.mostUsers }),
    ...(threads > 1 && { threads }),
    ...figuredParts(plan),
  };
}

/** What figures of a plan are of: its requests and its cases, in their order. */
export function figuredParts(plan: Plan): FiguredParts {
  const cases = plan.pages.flatMap(page => page.cases.map(each => ({ page, each })));
  return {
    requests: cases.flatMap(({ each: { address, title, steps } }) =>
      steps.flatMap(step =>
        step.kind === 'http' ? [{ case: address, title, request: step.title ?? '', place: step.place }] : [],
      ),
    ),
    cases: cases.map(({ page, each: { address, title } }) => ({ case: address, title, page: page.file })),
  };
}
