import type { Missing } from '../values/value.ts';
import type { Expression } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { compilePatternLiteral, patternFromText } from './compile-pattern.ts';
import type { Pattern } from './patterns.ts';
import type { Scene } from './scene.ts';

/** What stands behind `matches`, as a pattern: one between slashes, or a value that holds one as text. */
export function compileMatcher(node: Expression): (scene: Scene) => Pattern | Missing {
  if (node.type === 'pattern') return compilePatternLiteral(node);
  const evaluate = compileExpression(node);
  return scene => patternFromText(evaluate(scene));
}
