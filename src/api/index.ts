// The library: finds a collection on disk, plans it and runs it, as the program does.

export type {
  CaseEvent,
  CheckEvent,
  EndTotals,
  EventOf,
  ExchangeEvent,
  OperationEvent,
  PageEvent,
  RunBegin,
  RunEnd,
  RunEvent,
} from '../core/model/events.ts';
export type { Outcome, Stop } from '../core/model/outcomes.ts';
export { UsageError } from '../core/model/usage-error.ts';
export { type Collection, openCollection, type PlanChoices } from './collection.ts';
export type { CollectionPlan, Finding, PlannedCase, RunChoices, RunSummary } from './collection-plan.ts';
