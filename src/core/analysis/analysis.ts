import type { ExternalSources } from '../model/external-sources.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { Brought } from './brought.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import type { Flow } from './flow.ts';
import type { GivenValue } from './given-value.ts';
import type { KnownFiles, Machine } from './machine.ts';
import type { ReadFile } from './schemas.ts';
import type { Choice } from './select.ts';
import type { TakenShard } from './shard.ts';
import type { OpenFile, Tables, WrittenTable } from './tables.ts';

export interface PlanOptions extends Choice, KnownFiles {
  readonly environment?: string;
  readonly given: ReadonlyMap<string, GivenValue>;
  /** The table that the whole selection runs for each row of. */
  readonly rows?: WrittenTable;
  /** With load: the table that each user takes a row of. */
  readonly userRows?: Pick<WrittenTable, 'name' | 'columns'>;
  /** What variables stand for outside of the collection, where it is looked for before a run. */
  readonly external?: Pick<ExternalSources, 'variable'>;
  /** Whether Git leaves a file out, by its path from the root of the collection; nothing where there is no Git. */
  readonly isIgnored?: (path: string) => boolean | undefined;
  /** Where the cases are to run. */
  readonly machine?: Machine;
  readonly readFile?: ReadFile;
  readonly openFile?: OpenFile;
  /**
   * Where cases that were asked for are to find what they would find in a run of the whole: addresses of cases that are
   * known to have set a cookie. Without it they bring the cases alone that they take names from or need.
   */
  readonly effects?: () => Promise<ReadonlySet<string>>;
  /** Whether cases that clean up after others join the selection; they do unless it is said otherwise. */
  readonly cleansUp?: boolean;
}

/** The cases that a plan is for. */
export interface Chosen {
  /** Pages that were named: they count also where no case of them could be read. */
  readonly named: ReadonlySet<CollectionPage>;
  readonly asked: ReadonlySet<CollectionCase>;
  /** With all that runs for those. */
  readonly cases: ReadonlySet<CollectionCase>;
  readonly brought: readonly Brought[];
  /** Whether the whole collection was asked for. */
  readonly isWhole: boolean;
  readonly shard: TakenShard | undefined;
}

/** What is known of a collection and of what was chosen of it: what every pass over them looks at, and none changes. */
export interface Analysis {
  readonly collection: Collection;
  readonly flow: Flow;
  readonly tables: Tables;
  readonly chosen: Chosen;
  /** Those of the chosen cases, in the order in which they run. */
  readonly pages: readonly CollectionPage[];
  /** Those that the chosen cases use. */
  readonly variables: ReadonlySet<VariableDefinition>;
  readonly options: PlanOptions;
}
