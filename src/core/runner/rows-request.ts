import type { PlannedVariables } from '../analysis/plan.ts';
import type { RowsRequest } from '../steps/asked-table.ts';
import type { RunContext } from './run-context.ts';
import { CaseEvaluation, type IterationScope, PageScope } from './scope.ts';

/** Asks for the rows of a table by what settings and the command line give, before any case has made a name. */
export function rowsRequest(
  scope: IterationScope,
  variables: PlannedVariables,
  { ports, signal, clockAndRandom }: RunContext,
): RowsRequest {
  const page = new PageScope(scope, new Map());
  const evaluation = new CaseEvaluation(page, { ...variables, ...noNames }, clockAndRandom);
  return {
    ports: ports.operations,
    evaluation,
    signal,
    conceal: value => scope.values.conceal(value, 'lasting'),
  };
}

const noNames = { takenFrom: new Map(), namespaces: new Map() };
