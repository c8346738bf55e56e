import type { RE2JS } from 're2js';
import { Missing } from '../model/value.ts';
import { TimeLimitError, withinTime } from '../text/time-limit.ts';

/** A pattern made ready. A text that it takes too long for is told as missing; that happens to borrowed ones alone. */
export interface Pattern {
  test(text: string): boolean | Missing;
  /** Each match from left to right: its first group where the pattern has one, else the whole. */
  matches(text: string, most?: number): readonly string[] | Missing;
  /** In `by`, $1 to $9 stand for groups, $0 for the match and $$ for a dollar. */
  replace(text: string, by: string): string | Missing;
}

/** Why a text is no pattern. */
export class PatternError extends Error {}

let engine: typeof RE2JS | undefined;

/** Loads the engine for patterns. To be awaited before the first `compilePattern`, where any pattern is used. */
export async function loadPatterns(): Promise<void> {
  engine ??= (await import('re2js')).RE2JS;
}

/**
 * Makes a pattern ready: by an engine whose time grows with the text alone, whatever the pattern; one that looks around
 * or back, which that engine does not know, by the engine of the runtime, under a time limit. Throws
 * PatternError.
 */
export function compilePattern(source: string, flags: string): Pattern {
  if (!engine) throw new TypeError('loadPatterns() comes before compilePattern().');
  const bits = { i: engine.CASE_INSENSITIVE, m: engine.MULTILINE, s: engine.DOTALL };
  const sum = [...new Set(flags)].reduce((all, flag) => all | bits[flag as 'i'], 0);
  let compiled: RE2JS;
  try {
    compiled = engine.compile(withCodePoints(source), sum);
  } catch (error) {
    const borrowed = borrowPattern(source, flags);
    if (borrowed) return borrowed;
    const reason = (error as Error).message.replace(/^error parsing regexp: /, '').replaceAll('`', "'");
    throw new PatternError(reason);
  }
  return {
    test: text => compiled.matcher(text).find(),
    matches(text, most = Number.POSITIVE_INFINITY) {
      const matcher = compiled.matcher(text);
      const group = matcher.groupCount() > 0 ? 1 : 0;
      const found: string[] = [];
      while (found.length < most && matcher.find()) {
        const part = matcher.group(group);
        if (part !== null) found.push(part);
      }
      return found;
    },
    replace(text, by) {
      const matcher = compiled.matcher(text);
      let [result, at] = ['', 0];
      while (matcher.find()) {
        const groups = Array.from({ length: matcher.groupCount() + 1 }, (_, group) => matcher.group(group));
        result += text.slice(at, matcher.start()) + fillGroups(by, groups);
        at = matcher.end();
      }
      return result + text.slice(at);
    },
  };
}

/** `\u00e9` and `\u{1f6a2}`, as they are written everywhere else, for an engine that writes them `\x{e9}`. */
function withCodePoints(source: string): string {
  return source.replace(
    /\\(?:u\{([0-9a-fA-F]{1,6})\}|u([0-9a-fA-F]{4})|[\s\S])/g,
    (whole, braced?: string, four?: string) => (braced || four ? `\\x{${braced ?? four}}` : whole),
  );
}

function fillGroups(by: string, groups: readonly (string | null | undefined)[]): string {
  return by.replace(/\$(\$|\d)/g, (_, what: string) => (what === '$' ? '$' : (groups[Number(what)] ?? '')));
}

/** How long a pattern of the runtime's own engine may take for one text, in milliseconds. */
const timeout = 1000;

/** A pattern for the engine of the runtime; nothing where that does not know it either. */
function borrowPattern(written: string, given: string): Pattern | undefined {
  // The runtime writes flags behind a pattern only.
  const [lead, flags = ''] = /^\(\?([ims]+)\)/.exec(written) ?? [''];
  const form = readNative(written.slice(lead.length), [...new Set(`${given}${flags}gu`)].join(''));
  if (!form) return undefined;
  let tooSlow: Missing | undefined;
  const run = (text: string, most: number): RegExpExecArray[] | Missing => {
    // Once is enough: a list of a thousand items must not wait a thousand times.
    if (tooSlow) return tooSlow;
    try {
      return withinTime(timeout, 'the pattern', () => firstMatches(form, text, most));
    } catch (error) {
      if (!(error instanceof TimeLimitError)) throw error;
      tooSlow = Missing.unreadable(error.message);
      return tooSlow;
    }
  };
  return {
    test(text) {
      const found = run(text, 1);
      return found instanceof Missing ? found : found.length > 0;
    },
    matches(text, most = Number.POSITIVE_INFINITY) {
      const found = run(text, most);
      if (found instanceof Missing) return found;
      return found.flatMap(groups => (groups.length > 1 ? groups[1] : groups[0]) ?? []);
    },
    replace(text, by) {
      const found = run(text, Number.POSITIVE_INFINITY);
      if (found instanceof Missing) return found;
      let [result, at] = ['', 0];
      for (const groups of found) {
        result += text.slice(at, groups.index) + fillGroups(by, groups);
        at = groups.index + groups[0].length;
      }
      return result + text.slice(at);
    },
  };
}

function readNative(source: string, flags: string): RegExp | undefined {
  try {
    return new RegExp(source, flags);
  } catch {
    return undefined;
  }
}

function firstMatches(form: RegExp, text: string, most: number): RegExpExecArray[] {
  const found: RegExpExecArray[] = [];
  for (const match of text.matchAll(form)) {
    found.push(match);
    if (found.length >= most) break;
  }
  return found;
}

/** A text as a pattern that matches it alone. */
export function quotePattern(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
}
