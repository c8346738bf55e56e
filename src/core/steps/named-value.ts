import type { Expression, StatementNode } from '../language/ast.ts';
import { isMadeOfSecret } from '../language/evaluation-context.ts';
import { revealing } from '../language/walk.ts';
import type { Range } from '../model/source.ts';
import type { Value } from '../model/value.ts';
import type { GivenName, StepPreview } from './step.ts';

// What the statements have in common that give a value a name.

export interface NamingStatement extends StatementNode {
  readonly name: string;
  readonly nameRange: Range;
}

export function givenName({ name, nameRange }: NamingStatement, how: GivenName['how']): GivenName {
  return { name, how, range: nameRange };
}

/** Names whose secrecy passes on to a value. */
export function namesRevealedBy(expressions: readonly Expression[]): string[] {
  return expressions.flatMap(revealing).map(reference => reference.name);
}

/** Gives a value its name; what is computed from a secret is one. */
export function nameValue(
  { names, evaluation }: Pick<StepPreview, 'names' | 'evaluation'>,
  given: Pick<GivenName, 'name' | 'how'>,
  value: Value,
  { secret = false, reveals }: { readonly secret?: boolean; readonly reveals: readonly string[] },
): void {
  const isSecret = secret || reveals.some(each => isMadeOfSecret(evaluation.lookup(each)));
  names.set(given, value, { secret: isSecret });
}
