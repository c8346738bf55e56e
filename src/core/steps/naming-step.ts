import type { ResponseSource, StatementNode } from '../language/ast.ts';
import { isMadeOfSecret } from '../language/evaluation-context.ts';
import { referencesIn, revealing, sourcesIn } from '../language/walk.ts';
import type { Place } from '../model/place.ts';
import type { Range } from '../model/source.ts';
import type { Value } from '../model/value.ts';
import type { GivenName, PlannedStep, StepPreview, StepRun } from './step.ts';

// What the statements have in common that give a value a name.

export interface NamingStatement extends StatementNode {
  readonly name: string;
  readonly nameRange: Range;
}

export function givenNames({ name, nameRange }: NamingStatement, how: GivenName['how']): GivenName[] {
  return [{ name, how, range: nameRange }];
}

/** Gives a value its name; what is computed from a secret is one. */
export abstract class NamingStep implements PlannedStep {
  abstract readonly kind: string;
  readonly checks = 0;
  readonly text: string;
  readonly gives: readonly [Pick<GivenName, 'name' | 'how'>];
  /** Names whose secrecy passes on to the value. */
  readonly #reveals: readonly string[];
  readonly #parts: NamingStatement['parts'];

  constructor(
    { name, parts, written }: NamingStatement,
    how: GivenName['how'],
    readonly place: Place,
  ) {
    this.text = written;
    this.#parts = parts;
    this.gives = [{ name, how }];
    this.#reveals = parts.flatMap(revealing).map(reference => reference.name);
  }

  abstract carryOut(run: StepRun): boolean;

  looksAt(): readonly ResponseSource[] {
    return this.#parts.flatMap(sourcesIn);
  }

  refersTo(): readonly string[] {
    return this.#parts.flatMap(referencesIn).map(({ name }) => name);
  }

  /** @param secret whether it is one by itself */
  protected giveName(
    { names, evaluation }: Pick<StepPreview, 'names' | 'evaluation'>,
    value: Value,
    { secret = false }: { readonly secret?: boolean } = {},
  ): void {
    const isSecret = secret || this.#reveals.some(each => isMadeOfSecret(evaluation.lookup(each)));
    names.set(this.gives[0], value, { secret: isSecret });
  }
}
