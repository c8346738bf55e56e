import { asText } from '../values/compare.ts';
import { type Found, kindInWords, kindOf, Missing } from '../values/value.ts';
import type { Expression } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { compilePatternLiteral } from './compile-pattern.ts';
import { compilePattern, type Pattern } from './patterns.ts';
import type { Scene } from './scene.ts';

/** What stands behind `matches`, as a pattern: one between slashes, or a value that holds one as text. */
export function compileMatcher(node: Expression): (scene: Scene) => Pattern | Missing {
  if (node.type === 'pattern') return compilePatternLiteral(node);
  const evaluate = compileExpression(node);
  return scene => fromText(evaluate(scene));
}

function fromText(value: Found): Pattern | Missing {
  if (value instanceof Missing) return value;
  const source = asText(value);
  if (source === undefined) return new Missing(`a pattern is a text, not ${kindInWords(kindOf(value))}`);
  try {
    return compilePattern(source, '');
  } catch (error) {
    return new Missing(`'${source}' is no pattern: ${(error as Error).message}`);
  }
}
