import { type Found, kindInWords, kindOf, Missing } from '../model/value.ts';
import { asText } from '../values/compare.ts';
import { textOf } from '../values/text.ts';
import type { PatternLiteral } from './ast.ts';
import { compileReference } from './compile-reference.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { compilePattern, type Pattern, PatternError, quotePattern } from './patterns.ts';

/** A pattern without references is compiled once; one with them, anew for every new value. */
export function compilePatternLiteral({
  parts,
  flags,
}: PatternLiteral): (context: EvaluationContext) => Pattern | Missing {
  if (parts.every(part => typeof part === 'string')) {
    const pattern = compilePattern(parts.join(''), flags);
    return () => pattern;
  }
  const source = compilePatternSource(parts);
  let last: { text: string; pattern: Pattern } | undefined;
  return context => {
    const text = source(context);
    if (text instanceof Missing) return text;
    if (last?.text !== text) last = { text, pattern: compilePattern(text, flags) };
    return last.pattern;
  };
}

/** The text of a pattern, what it refers to quoted. */
function compilePatternSource(
  parts: PatternLiteral['parts'],
): (context: EvaluationContext) => string | Missing {
  const pieces = parts.map(part => (typeof part === 'string' ? part : compileReference(part)));
  return context => {
    let source = '';
    for (const piece of pieces) {
      if (typeof piece === 'string') source += piece;
      else {
        const value = piece(context);
        if (value instanceof Missing) return value;
        const text = textOf(value);
        if (text === undefined) return new Missing(`${kindInWords(kindOf(value))} cannot stand in a pattern`);
        source += quotePattern(text);
      }
    }
    return source;
  };
}

/** A pattern where a value is asked for: its text, for a `let` that `matches {name}` refers to. */
export function compilePatternText({ parts, flags }: PatternLiteral): (context: EvaluationContext) => Found {
  const source = compilePatternSource(parts);
  const lead = flags === '' ? '' : `(?${flags})`;
  return context => {
    const text = source(context);
    return text instanceof Missing ? text : lead + text;
  };
}

/** A pattern that a text holds; the last few are kept. */
export function patternFromText(value: Found): Pattern | Missing {
  if (value instanceof Missing) return value;
  const source = asText(value);
  if (source === undefined) return new Missing(`a pattern is a text, not ${kindInWords(kindOf(value))}`);
  try {
    return keptPattern(source);
  } catch (error) {
    if (!(error instanceof PatternError)) throw error;
    return new Missing(`'${source}' is no pattern: ${error.message}`);
  }
}

const kept = new Map<string, Pattern>();

function keptPattern(source: string): Pattern {
  let pattern = kept.get(source);
  if (!pattern) {
    if (kept.size >= 50) kept.clear();
    pattern = compilePattern(source, '');
    kept.set(source, pattern);
  }
  return pattern;
}
