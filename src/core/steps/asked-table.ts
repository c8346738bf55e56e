import type { EvaluationContext } from '../language/evaluation-context.ts';
import type { Row } from '../values/table-reader.ts';
import type { OperationPorts } from './operation-ports.ts';

/** What asks for the rows of a table at the moment they are wanted. */
export interface RowsRequest {
  readonly ports: OperationPorts;
  /** Settings and the command line, nothing else. */
  readonly evaluation: EvaluationContext;
  readonly signal: AbortSignal;
  /** Told of what signs in. */
  conceal(value: string): void;
}

/** The rows of a table from its beginning to its end. */
export interface OpenRows {
  readonly count: number;
  /** Throws TableError where they cannot be read any further. */
  readonly rows: AsyncIterable<Row>;
}

/** A table with rows that are known only when they are asked for. */
export interface AskedTable {
  readonly columns: readonly string[];
  /** Throws TableError. */
  ask(request: RowsRequest): Promise<OpenRows>;
}
