import type { Reference } from '../../language/ast.ts';
import type { Package } from '../../language/packages.ts';
import type { Excerpt } from '../../model/source.ts';
import type { Limits } from '../../settings/transport.ts';
import type { GivenName } from '../step.ts';

/** A script, made ready. */
export interface PlannedScript {
  readonly title: string;
  readonly content: Excerpt;
  /** As the engine is handed it. */
  readonly text: string;
  /** The page, from the root of the collection. */
  readonly file: string;
  readonly values: readonly Reference[];
  /** What it is handed of the step above. */
  readonly exchange: readonly ('answer' | 'request' | 'secretRequest')[];
  readonly modules: ReadonlyMap<string, string>;
  readonly functions: readonly string[];
  readonly packages: readonly Package[];
  /** Whether it, or one of its modules, can make checks. */
  readonly checksAnything: boolean;
  readonly gives: readonly Omit<GivenName, 'range'>[];
  readonly limits: Limits;
}
