import type { OperationEvent } from '../core/model/events.ts';
import type { Measure, Paint } from './style.ts';
import type { Again } from './verdict.ts';

export interface TerminalOptions {
  readonly write: (text: string) => void;
  readonly paint: Paint;
  readonly measure: Measure;
  /** Columns of the terminal. */
  readonly width: number;
  /** What did not pass, and the verdict. */
  readonly onlyFailures?: boolean;
  /** Only the verdict. */
  readonly quiet: boolean;
  /** Where output can be taken back: a line of progress shows how far a run of many rounds is. */
  readonly live?: { readonly now: () => number };
  /** Lays out an operation, where all of them are to be seen. */
  readonly onOperation?: (operation: OperationEvent) => readonly string[];
  /** How a case is run again; without it no command is told. */
  readonly again?: Again;
}
