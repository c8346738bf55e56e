import type { CheckEvent } from '../core/model/events.ts';
import { formatJson } from './json-text.ts';

/**
 * JSON with a member a line, the values set off that checks which do not hold speak of; other text as it came.
 * @param width in characters: what is short and fits stays in one line
 * @param mark sets a value off
 */
export function laidOutBody(
  text: string,
  width: number,
  failing: readonly CheckEvent[],
  mark: (part: string) => string,
): string {
  try {
    if (!/^\s*[[{]/.test(text)) return text;
    JSON.parse(text);
    const paint = (_role: string, part: string) => part;
    const shown = formatJson(text, width, paint, { paths: new Set(failing.flatMap(pathsOf)), mark });
    // What is nested very deeply would be little else than white space.
    return shown.length > 3 * Math.max(text.length, 16_000) ? text : shown;
  } catch {
    // Cut, or nested too deeply to be laid out.
    return text;
  }
}

/** The places that a check that does not hold speaks of; the parts that differ, where it tells them. */
function pathsOf({ at, differences, found = '' }: CheckEvent): string[] {
  if (differences) return differences.map(each => each.at);
  const inWords = [...found.matchAll(/\$[.[][^\s,;]*/g)].map(([path]) => path);
  return [...(at === undefined ? [] : [at]), ...inWords];
}
