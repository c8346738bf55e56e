import { asText } from '../values/compare.ts';
import { textOf } from '../values/text.ts';
import { type Found, kindInWords, kindOf, Missing } from '../values/value.ts';
import type { Expression, PatternLiteral } from './ast.ts';
import { compileExpression, compileReference } from './compile-expression.ts';
import { compilePattern, type Pattern, quotePattern } from './patterns.ts';
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

/** A pattern without references is compiled once; one with them, anew for every new value. */
function compilePatternLiteral({ parts, flags }: PatternLiteral): (scene: Scene) => Pattern | Missing {
  const pieces = parts.map(part => (typeof part === 'string' ? part : compileReference(part)));
  let last: { source: string; pattern: Pattern } | undefined;
  if (pieces.every(piece => typeof piece === 'string')) {
    const pattern = compilePattern(pieces.join(''), flags);
    return () => pattern;
  }
  return scene => {
    let source = '';
    for (const piece of pieces) {
      if (typeof piece === 'string') source += piece;
      else {
        const value = piece(scene);
        if (value instanceof Missing) return value;
        source += quotePattern(textOf(value) ?? '');
      }
    }
    if (last?.source !== source) last = { source, pattern: compilePattern(source, flags) };
    return last.pattern;
  };
}
