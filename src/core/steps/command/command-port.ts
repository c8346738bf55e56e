import type { OperationFault, OperationPort } from '../operation-port.ts';

/** A command with everything that it is given. */
export interface OutgoingCommand {
  /** For the shell. */
  readonly text: string;
  /** Where it runs: from the root of the collection. */
  readonly folder: string;
  readonly variables: readonly (readonly [name: string, value: string])[];
  /** In milliseconds. */
  readonly timeout: number;
  /** What may come of its output, and of its errors, in bytes. */
  readonly limit: number;
}

/** What came of a command. */
export interface EndedCommand {
  /** Nothing where it came to nothing. */
  readonly exit?: number;
  readonly output: Uint8Array;
  readonly errors: Uint8Array;
  readonly fault?: OperationFault;
  /** In milliseconds. */
  readonly time: number;
}

/** What carries out commands. */
export interface CommandPort extends OperationPort<undefined> {
  run(command: OutgoingCommand, signal: AbortSignal): Promise<EndedCommand>;
}
