import type { Problem } from '../core/model/events.ts';
import { visible } from './style.ts';

/** The line of a page in which a problem is, and a mark below its place; nothing where that says no more than the step. */
export function markedLine({ line, place }: Problem): string[] {
  if (line === undefined) return [];
  const before = visible(line.slice(0, place.column - 1).trimStart());
  return [visible(line.trim()), `${' '.repeat([...before].length)}^`];
}
