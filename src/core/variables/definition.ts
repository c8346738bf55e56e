import type { Entry, Scene } from '../language/scene.ts';
import type { Reference } from '../template/reference.ts';
import type { Range, Source } from '../text/source.ts';

/** A variable as a settings level defines it. */
export interface VariableDefinition {
  readonly name: string;
  /** Where it comes from, in words: `from environment local`. */
  readonly origin: string;
  readonly source: Source;
  readonly range: Range;
  readonly references: readonly Reference[];
  /** Its text, where it is written out. */
  readonly literal?: string;
  /** Secrecy belongs to the name: declared here, it holds for the values of all other levels too. */
  readonly secret: boolean;
  /** Its value; what it refers to is looked up in the scene. Throws Misfit. */
  resolve(scene: Pick<Scene, 'lookup'>, environment: OsEnvironment): Omit<Entry, 'secret'>;
}

/** The environment of the process, handed in. */
export type OsEnvironment = (name: string) => string | undefined;
