import type { Value } from '../../core/model/value.ts';
import type { OperationFault } from '../../core/steps/operation-port.ts';
import type { OutgoingQuery } from '../../core/steps/query/query-port.ts';
import { columnFault, rowsFault } from './query-faults.ts';
import { rowObject } from './row-object.ts';

/** Where the rows of a statement go. What it gives back ends the statement. */
export interface RowSink<Cell = Value> {
  /** How many it has taken. */
  readonly count: number;
  /** Told once, before the first row. */
  begin(columns: readonly string[]): OperationFault | undefined;
  take(values: readonly Cell[]): OperationFault | undefined;
}

/** Keeps them, up to a limit. */
export class RowCollector implements RowSink {
  rows: { [column: string]: Value }[] | undefined;
  #columns: readonly string[] = [];

  constructor(readonly query: OutgoingQuery) {}

  get count(): number {
    return this.rows?.length ?? 0;
  }

  begin(columns: readonly string[]): OperationFault | undefined {
    this.rows = [];
    this.#columns = columns;
    return columnFault(columns);
  }

  take(values: readonly Value[]): OperationFault | undefined {
    if (this.rows!.length === this.query.rows) return rowsFault(this.query);
    this.rows!.push(rowObject(this.#columns, values));
    return undefined;
  }
}
