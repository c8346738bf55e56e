import type { Check } from '../language/ast.ts';
import type { Template } from '../template/template.ts';
import type { Range, Source } from '../text/source.ts';
import type { VariableDefinition } from '../variables/definition.ts';

/** The settings of one level: the collection, a folder, a page or a case. Null takes away what is set further out. */
export interface Level {
  /** As messages name it: `mervok.yaml`, `the front matter of tides.md`. */
  readonly name: string;
  readonly source: Source;
  readonly title?: string;
  readonly base?: Template | null;
  /** By the name in lower case. */
  readonly headers: ReadonlyMap<string, LevelHeader>;
  readonly variables: ReadonlyMap<string, VariableDefinition>;
  readonly checks: readonly Check[] | null;
  readonly timeout?: Timeout | null;
  readonly environments?: ReadonlyMap<string, ReadonlyMap<string, VariableDefinition>>;
  readonly environment?: { readonly name: string; readonly range: Range };
}

export interface LevelHeader {
  readonly name: string;
  readonly value: Template | null;
  readonly range: Range;
}

/** In milliseconds; `answer` is the time from the request sent to the first byte of the response. */
export interface Timeout {
  readonly connect?: number;
  readonly answer?: number;
  readonly total?: number;
}

export function emptyLevel(name: string, source: Source): Level {
  return { name, source, headers: new Map(), variables: new Map(), checks: [] };
}
