import type { Range, Source } from './source.ts';

/** Where something is written; line and column count from 1. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

export function placeOf(source: Source, range: Range): Place {
  return { file: source.file, ...source.position(range.start) };
}
