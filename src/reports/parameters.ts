import type { OperationEvent } from '../core/model/events.ts';

/** What an operation was given beside its text; of a request that is left to its headers. */
export function parametersOf(operation: OperationEvent): string[] {
  return operation.type === 'operation'
    ? operation.asked.fields.map(([name, value]) => `${name}: ${value}`)
    : [];
}
