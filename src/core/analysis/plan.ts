import type { Evaluate } from '../language/compile-reference.ts';
import type { Place } from '../model/place.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { PlannedStep, Redacted } from '../steps/step.ts';
import type { Brought } from './brought.ts';
import type { GivenValue } from './given-value.ts';
import type { SchemaOf } from './schemas.ts';
import type { TakenShard } from './shard.ts';
import type { NamedTable, WrittenTable } from './tables.ts';

/** What a run will do, everything made ready. */
export interface Plan {
  readonly title: string;
  readonly environment?: string;
  readonly pages: readonly PlannedPage[];
  /** What runs for others, though it was not asked for. */
  readonly brought: readonly Brought[];
  /** Values given on the command line, or by a file that it names. */
  readonly given: ReadonlyMap<string, GivenValue>;
  /** Of those, the names that nothing takes from there: mistyped, or hidden by a value of the page. */
  readonly unusedGiven: readonly { readonly name: string; readonly nearest?: string }[];
  /** Names that are secret, wherever their value comes from. */
  readonly secretNames: ReadonlySet<string>;
  /** How many checks will be made if every case is carried out. */
  readonly checks: number;
  /** The definitions of an API that exchanges are held to, as paths from the root. */
  readonly definitions: readonly string[];
  readonly schemaOf: SchemaOf;
  /** What is never shown, besides secrets. */
  readonly redacted: Redacted;
  /** The table that the whole selection runs for each row of. */
  readonly rows?: WrittenTable;
  readonly shard?: TakenShard;
  /** The limits that the whole run is held to, and where they are written. */
  readonly bounds: readonly { readonly text: string; readonly place: Place }[];
  /** In milliseconds: the time within which an answer satisfies. */
  readonly apdex?: number;
}

/** A table whose rows are read, or asked for, while they are used. */
export type PlannedRows = NamedTable & {
  /** So many at the most, where not all are wanted. */
  readonly most?: number;
};

/** What the variables of a page or of a case come to: those that are stronger than what other pages keep, and weaker. */
export interface PlannedVariables {
  readonly near: ReadonlyMap<string, VariableDefinition>;
  readonly outer: ReadonlyMap<string, VariableDefinition>;
}

export interface PlannedPage {
  readonly file: string;
  readonly title: string;
  /** The pages whose names it takes, or that it needs, and with them their cookies. It runs after them. */
  readonly sources: readonly string[];
  /** Whether nothing else runs while it does. */
  readonly alone?: true;
  /** The pages that take from it, where it is cleaned up as soon as the last of them has run. */
  readonly cleanedAfter?: readonly string[];
  /** It runs once for each of its rows. */
  readonly rows?: PlannedRows;
  /** Those of its own settings, without those of its cases. */
  readonly variables: PlannedVariables;
  readonly cases: readonly PlannedCase[];
}

export interface PlannedCase extends PlannedVariables {
  readonly address: string;
  readonly title: string;
  readonly place: Place;
  /** Whether it was asked for, or only others need it. */
  readonly asked: boolean;
  /** Names that other cases must have made before this one can begin. */
  readonly needs: readonly Need[];
  /** Addresses of cases that must have passed, whatever names it takes. */
  readonly after: readonly string[];
  /** The other page that a name comes from, by the name. */
  readonly takenFrom: ReadonlyMap<string, string>;
  /** Names that its steps and settings use, those that it makes itself left out. */
  readonly uses: readonly string[];
  readonly tags: readonly string[];
  readonly internal: boolean;
  readonly steps: readonly PlannedStep[];
  /** What it is carried out for each of. */
  readonly each?: PlannedEach;
  /** Whether it runs at the end of the iteration, whatever came before. */
  readonly cleanup: boolean;
  /** Prefixes of XML and the namespaces that they stand for. */
  readonly namespaces: ReadonlyMap<string, string>;
  /** What the page says around its fences, as Markdown. */
  readonly prose: () => string;
  /** The first request as written, for a line that tells of the case: `GET /berths`. */
  readonly request?: string;
}

/** The rows of a table, or the items of a list that is known only when the case comes. */
export type PlannedEach = {
  readonly place: Place;
  readonly text: string;
  /** So many of them at the most, where not all are wanted. */
  readonly most?: number;
} & (
  | { readonly kind: 'rows'; readonly table: NamedTable }
  | { readonly kind: 'values'; readonly name: string; readonly list: Evaluate; readonly written: string }
);

export interface Need {
  readonly name: string;
  /** Whether its own page makes it, by `keep` or `let`; else another page keeps it. */
  readonly ownPage: boolean;
  /** The addresses of the cases that make it. */
  readonly producers: readonly string[];
}

/** The kinds of steps that a plan has. */
export function kindsIn({ pages }: Plan): ReadonlySet<string> {
  return new Set(pages.flatMap(page => page.cases.flatMap(({ steps }) => steps.map(({ kind }) => kind))));
}
