import type { Missing } from '../model/value.ts';
import type { Expression } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { compilePatternLiteral, patternFromText } from './compile-pattern.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import type { Pattern } from './patterns.ts';

/** What stands behind `matches`, as a pattern: one between slashes, or a value that holds one as text. */
export function compileMatcher(node: Expression): (context: EvaluationContext) => Pattern | Missing {
  if (node.type === 'pattern') return compilePatternLiteral(node);
  const evaluate = compileExpression(node);
  return context => patternFromText(evaluate(context));
}
