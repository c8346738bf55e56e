import type { Expression } from '../language/ast.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import type { Reference } from '../language/reference.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Range, Source } from '../model/source.ts';

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
  /** Whether that stands there without quotes, so that it has no kind of its own. */
  readonly isPlain?: true;
  /** The variable of the process environment that it is. */
  readonly os?: string;
  /** The file that it stands in, from the root of the collection or absolute. */
  readonly file?: string;
  /** What it is computed by, once an iteration. */
  readonly computed?: Expression;
  /** Names whose secrecy passes on to what is computed. */
  readonly reveals?: readonly string[];
  /** Secrecy belongs to the name: declared here, it holds for the values of all other levels too. */
  readonly secret: boolean;
  /** Its value; what it refers to is looked up in the context. Throws TemplateError. */
  resolve(context: Pick<EvaluationContext, 'lookup'>, external: ExternalSources): Omit<Entry, 'secret'>;
}
