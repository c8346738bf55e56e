import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { Found, Missing, Value } from '../model/value.ts';
import type { AnswerView } from './answer-view.ts';
import type { Comparison, Reference } from './ast.ts';
import type { Validator } from './documents/schema.ts';
import type { Match } from './jsonpath/match.ts';
import type { Truth } from './truth.ts';

/** A named value and where it comes from. */
export interface Entry {
  readonly value: Value;
  /** In words: `from environment local`, `kept in sign-in.md#sign-in`. */
  readonly origin: string;
  readonly secret: boolean;
  /** Whether it is a text with a secret in it, of which only that is masked. */
  readonly holdsSecret?: boolean;
}

/** Whether a value is secret, or is made of one that is. */
export function isMadeOfSecret(entry: Entry | undefined): boolean {
  return entry !== undefined && (entry.secret || entry.holdsSecret === true);
}

/** What a comparison saw when it did not hold. */
export interface Note {
  readonly comparison: Comparison;
  readonly truth: Truth;
  readonly found: Found;
  /** Under `each`, `some` and `no`: the items that decided, and of how many. */
  readonly items?: {
    readonly deciding: readonly { match?: Match; value: Found; truth: Truth }[];
    readonly total: number;
  };
}

/** Everything that an expression can see while it is evaluated. */
export interface EvaluationContext {
  /** What the step above came to. */
  readonly response: AnswerView | undefined;
  /** What was asked there, as it was sent. */
  readonly sent?: AnswerView | undefined;
  /** Why no response came, where a check expects that. */
  readonly fault?: string | undefined;
  lookup(name: string): Entry | undefined;
  /** Stands in for a value that is known only once other cases have run, where a request is only shown. */
  standIn?(reference: Reference): Value | undefined;
  readonly clockAndRandom: ClockAndRandom;
  /** The names of XML namespaces that the settings give prefixes for. */
  readonly namespaces?: ReadonlyMap<string, string>;
  /** The schema that a `fits` names, a fence of the page or a file, as seen from the file that the check stands in. */
  schema?(name: string, from: string): Validator | undefined;
  /** The bytes of a file, by its path from the root of the collection; else why it cannot be read. */
  file?(path: string): Uint8Array | Missing;
  /** What chance and the clock gave while a statement was evaluated, by the part of it that asked. */
  drawn?: Map<object, Found> | undefined;
  /** Filled by comparisons that do not hold, for the explanation of a failed check. */
  notes: Note[];
}
