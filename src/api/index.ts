// The library: everything that Mervok knows without touching the world outside.

export { buildPlan } from '../core/analysis/build-plan.ts';
export { type Collection, type CollectionFiles, readCollection } from '../core/analysis/collection.ts';
export type { Plan } from '../core/analysis/plan.ts';
export { eventSchema, type RunEvent } from '../core/model/events.ts';
export { type Finding, sortFindings } from '../core/model/finding.ts';
export { UsageError } from '../core/model/usage-error.ts';
export { RunTotals } from '../core/record/totals.ts';
export type { Ports } from '../core/runner/ports.ts';
export { run } from '../core/runner/run.ts';
