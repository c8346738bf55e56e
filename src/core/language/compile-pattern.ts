import { textOf } from '../values/text.ts';
import { Missing } from '../values/value.ts';
import type { PatternLiteral } from './ast.ts';
import { compileReference } from './compile-reference.ts';
import { compilePattern, type Pattern, quotePattern } from './patterns.ts';
import type { Scene } from './scene.ts';

/** A pattern without references is compiled once; one with them, anew for every new value. */
export function compilePatternLiteral({ parts, flags }: PatternLiteral): (scene: Scene) => Pattern | Missing {
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
