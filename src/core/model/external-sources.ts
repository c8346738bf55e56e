import type { Missing } from './value.ts';

/** What a variable may stand for that lies outside of the settings, handed in. */
export interface ExternalSources {
  readonly variable: OsEnvironment;
  /** The text of a file, by its path from the root of the collection or absolute; else why it cannot be read. */
  file(path: string): string | Missing;
  /** The same as bytes. */
  bytes(path: string): Uint8Array | Missing;
}

/** The environment of the process. */
export type OsEnvironment = (name: string) => string | undefined;
