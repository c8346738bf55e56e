import { checkKind } from './check/check.ts';
import { commandKind } from './command/command.ts';
import { httpKind } from './http/http.ts';
import { keepKind } from './keep/keep.ts';
import { letKind } from './let/let.ts';
import { queryKind } from './query/query.ts';
import { scriptKind } from './script/script.ts';
import { skipKind } from './skip/skip.ts';
import type { OperationKind, StatementKind, StepKind, WrittenStep } from './step.ts';
import { waitKind } from './wait/wait.ts';

/** Every kind of operation: what does something that statements below look at. */
const operations = { http: httpKind, command: commandKind, query: queryKind, script: scriptKind };

/** Every kind of statement. */
const statements = { check: checkKind, keep: keepKind, let: letKind, wait: waitKind, skip: skipKind };

type Kinds = typeof operations & typeof statements;

type WrittenOf<Kind> = Kind extends StepKind<infer Written> ? Written : never;
/** A step as a page has it, of whatever kind. */
export type AnyStep = WrittenOf<Kinds[keyof Kinds]>;
/** The same for those that are statements. */
export type StatementStep = WrittenOf<(typeof statements)[keyof typeof statements]>;

export const operationKinds: readonly OperationKind[] = Object.values(operations) as never;
export const statementKinds: readonly StatementKind[] = Object.values(statements) as never;

const byType = new Map<string, StepKind>(
  [...operationKinds, ...statementKinds].map(kind => [kind.type, kind]),
);
const operationsByType = new Map<string, OperationKind>(operationKinds.map(kind => [kind.type, kind]));

export function kindOfStep(step: WrittenStep): StepKind {
  return byType.get(step.type)!;
}

/** The kind of an operation; nothing for a statement. */
export function operationKindOf(step: WrittenStep): OperationKind | undefined {
  return operationsByType.get(step.type);
}
