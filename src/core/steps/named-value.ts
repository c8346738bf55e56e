import type { Expression, StatementNode } from '../language/ast.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { isMadeOfSecret } from '../language/evaluation-context.ts';
import { revealing } from '../language/walk.ts';
import type { Range } from '../model/source.ts';
import type { Value } from '../model/value.ts';
import type { GivenName, StepRun } from './step.ts';

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

/** Gives a value its name; what is computed from a secret is one, and so is what bears the name of one. */
export function nameValue(
  run: StepRun,
  { name, how }: Pick<GivenName, 'name' | 'how'>,
  value: Value,
  { secret = false, reveals }: { readonly secret?: boolean; readonly reveals: readonly string[] },
): void {
  const { names, evaluation, address } = run;
  const isSecret =
    secret || names.isSecret(name) || reveals.some(each => isMadeOfSecret(evaluation.lookup(each)));
  const verb = how === 'keep' ? 'kept' : 'computed';
  const entry: Entry = { value, origin: `${verb} in ${address}`, secret: isSecret };
  if (isSecret) run.masker.addValue(value, 'passing');
  names.set(name, entry, how === 'keep');
}
