import type { RE2JS } from 're2js';

/** A pattern made ready; both run in time that grows with the text alone, whatever the pattern. */
export interface Pattern {
  test(text: string): boolean;
  /** Each match from left to right: its first group where the pattern has one, else the whole. */
  matches(text: string): Generator<string>;
}

let engine: typeof RE2JS | undefined;

/** Loads the engine for patterns. To be awaited before the first `compilePattern`, where any pattern is used. */
export async function loadPatterns(): Promise<void> {
  engine ??= (await import('re2js')).RE2JS;
}

/** Throws an Error whose message says what is wrong with the pattern. */
export function compilePattern(source: string, flags: string): Pattern {
  if (!engine) throw new TypeError('loadPatterns() comes before compilePattern().');
  const bits = { i: engine.CASE_INSENSITIVE, m: engine.MULTILINE, s: engine.DOTALL };
  const sum = [...new Set(flags)].reduce((all, flag) => all | bits[flag as 'i'], 0);
  const compiled = engine.compile(source, sum);
  return {
    test: text => compiled.matcher(text).find(),
    *matches(text) {
      const matcher = compiled.matcher(text);
      const group = matcher.groupCount() > 0 ? 1 : 0;
      while (matcher.find()) {
        const found = matcher.group(group);
        if (found !== null) yield found;
      }
    },
  };
}

/** A text as a pattern that matches it alone. */
export function quotePattern(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
}
