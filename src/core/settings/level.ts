import type { Authorization } from '../auth/authorization.ts';
import type { Check } from '../language/ast.ts';
import type { Path } from '../language/jsonpath/ast.ts';
import type { Load } from '../language/load/load.ts';
import type { Template } from '../language/templates/template.ts';
import type { Range, Source } from '../model/source.ts';
import type { DatabaseSetting } from './database.ts';
import type { TransportSettings } from './transport.ts';
import type { VariableDefinition } from './variable-definition.ts';

export type LevelKind = 'root' | 'folder' | 'page' | 'case' | 'secrets';

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
  readonly query: ReadonlyMap<string, QueryField>;
  /** By their names. */
  readonly databases: ReadonlyMap<string, DatabaseSetting | null>;
  readonly auth?: Authorization | null;
  readonly definition?: DefinitionSetting | null;
  readonly transport: TransportSettings;
  /** The names of XML namespaces by the prefixes that XPath uses for them. */
  readonly namespaces: ReadonlyMap<string, string | null>;
  readonly tags: readonly string[] | null;
  readonly needs: readonly Written[] | null;
  /** Whether it only helps, and does not belong into documents that are handed out. */
  readonly internal?: boolean | null;
  /** Whether nothing else runs while a page of the level does. */
  readonly alone?: boolean | null;
  /** Whether a page is cleaned up as soon as nothing that is still to run takes from it. */
  readonly earlyCleanup?: boolean | null;
  /** A table; each page of the level runs once for each row of it. */
  readonly rows?: Written | null;
  /** Pages and folders of the folder that come first, in their order. */
  readonly order?: readonly Written[];
  readonly redact?: Redaction;
  /** The limits on a whole run, each in the form of a bound. */
  readonly bounds?: readonly Written[];
  /** In milliseconds. */
  readonly apdex?: number;
  /** What a run with load does; places are those of the file. */
  readonly load?: Load;
  /** What warnings weigh, by their codes. */
  readonly lint?: ReadonlyMap<string, LintWeight>;
  readonly baseRange?: Range;
  readonly tlsRange?: Range;
  /** What settings take from elsewhere, by names that nobody can write. */
  readonly foundFor?: ReadonlyMap<string, VariableDefinition>;
  readonly authRange?: Range;
  readonly environments?: ReadonlyMap<string, ReadonlyMap<string, VariableDefinition>>;
  readonly environment?: { readonly name: string; readonly range: Range };
}

/** The definition of an API: a file of the collection, as it is written and from the root. */
export interface DefinitionSetting {
  readonly written: string;
  readonly file: string;
  /** The address that its paths count from; without it what stands before the targets. */
  readonly at?: Template;
  readonly range: Range;
}

/** What a warning is taken for. */
export type LintWeight = 'off' | 'warning' | 'error';

/** A text, and where it is written. */
export interface Written {
  readonly text: string;
  readonly range: Range;
}

/** What is never shown, besides secrets: values of headers, by their names in lower case, and parts of JSON bodies. */
export interface Redaction {
  readonly headers: readonly string[];
  readonly paths: readonly Path[];
}

export interface LevelHeader {
  readonly name: string;
  readonly value: Template | null;
  readonly range: Range;
}

/** A name of the query; several values for a name that comes several times, null to take it away. */
export interface QueryField {
  readonly values: readonly Template[] | null;
  readonly range: Range;
}

export function emptyLevel(name: string, source: Source): Level {
  return {
    name,
    source,
    headers: new Map(),
    query: new Map(),
    databases: new Map(),
    variables: new Map(),
    checks: [],
    transport: {},
    namespaces: new Map(),
    tags: [],
    needs: [],
  };
}
