// The library: everything that Mervok knows without touching the world outside.
export type { Exchange, Fault, OutgoingRequest, Ports, Timings } from './engine/ports.ts';
export { type RunOptions, run } from './engine/run.ts';
export { buildPlan, type PlanOptions } from './plan/build.ts';
export { type Collection, type CollectionFiles, readCollection } from './plan/collection.ts';
export type { Plan } from './plan/plan.ts';
export { eventSchema, type RunEvent } from './record/events.ts';
export { RunTotals } from './record/totals.ts';
export { type Finding, sortFindings } from './text/finding.ts';
export { UsageError } from './text/usage-error.ts';
