import type { ExercisedOperation } from '../model/exercised.ts';
import { newOperation } from '../record/exercised.ts';
import { type Contract, type ContractOperation, operationName } from './contract.ts';

/** Who relies on something of an operation. */
export interface RelianceRow {
  /** `status 200`, `$.berths[*].code`, `query state`. */
  readonly what: string;
  readonly status: string | undefined;
  readonly kinds: readonly string[];
  readonly consumers: readonly string[];
}

export interface OperationReliance {
  readonly operation: string;
  readonly consumers: readonly string[];
  readonly rows: readonly RelianceRow[];
}

/** For each operation and each part of its answers, who relies on it. */
export function relianceOf(contracts: readonly Contract[]): OperationReliance[] {
  const operations = new Map<string, { consumer: string; operation: ContractOperation }[]>();
  for (const { consumer, operations: own } of contracts)
    for (const operation of own) {
      const name = operationName(operation);
      const same = operations.get(name) ?? [];
      operations.set(name, same);
      same.push({ consumer, operation });
    }
  return [...operations]
    .sort(([a], [b]) => (a.replace(/^\S+ /, '') < b.replace(/^\S+ /, '') ? -1 : 1))
    .map(([operation, users]) => ({
      operation,
      consumers: named(users.map(({ consumer }) => consumer)),
      rows: rowsOf(users),
    }));
}

function named(consumers: readonly string[]): string[] {
  return [...new Set(consumers)].sort();
}

function rowsOf(users: readonly { consumer: string; operation: ContractOperation }[]): RelianceRow[] {
  const rows = new Map<
    string,
    { what: string; status: string | undefined; kinds: Set<string>; consumers: string[] }
  >();
  const add = (what: string, status: string | undefined, consumer: string, kinds: readonly string[] = []) => {
    const key = `${status ?? ''}\n${what}`;
    const row = rows.get(key) ?? { what, status, kinds: new Set<string>(), consumers: [] };
    rows.set(key, row);
    row.consumers.push(consumer);
    for (const kind of kinds) row.kinds.add(kind);
  };
  for (const { consumer, operation } of users) {
    for (const name of operation.sends.query ?? []) add(`query ${name}`, undefined, consumer);
    for (const name of operation.sends.headers ?? []) add(`header ${name}`, undefined, consumer);
    for (const part of operation.sends.body ?? []) add(`sent ${part}`, undefined, consumer);
    for (const { status, reads } of operation.answers) {
      add('status', status, consumer);
      for (const { part, kinds } of reads) add(part, status, consumer, kinds);
    }
  }
  return [...rows.values()].map(({ kinds, consumers, ...row }) => ({
    ...row,
    kinds: [...kinds],
    consumers: named(consumers),
  }));
}

/**
 * What contracts rely on, as if they had exercised it: what a definition has besides, nobody relies on.
 * @param nameOf what the definition calls an operation; nothing where it does not have it
 */
export function exercisedBy(
  contracts: readonly Contract[],
  nameOf: (operation: ContractOperation) => string | undefined,
): Map<string, ExercisedOperation> {
  const exercised = new Map<string, ExercisedOperation>();
  for (const operation of contracts.flatMap(({ operations }) => operations)) {
    const name = nameOf(operation);
    if (name === undefined) continue;
    const known = exercised.get(name) ?? newOperation();
    exercised.set(name, known);
    known.sent++;
    for (const each of operation.sends.query ?? []) known.parameters.add(`query ${each}`);
    for (const each of operation.sends.headers ?? []) known.parameters.add(`header ${each}`);
    for (const [, each] of name.matchAll(/\{([^}]+)\}/g)) known.parameters.add(`path ${each}`);
    for (const path of operation.sends.body ?? [])
      known.members.add(path.replace(/^\$\.?/, '').replaceAll('[*]', '[]'));
    for (const { status, reads } of operation.answers) {
      known.statuses.set(status, { seen: 1, passed: 1 });
      for (const { part } of reads) known.looked.add(part);
    }
  }
  return exercised;
}
