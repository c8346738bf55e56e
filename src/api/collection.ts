import { buildPlan } from '../core/analysis/build-plan.ts';
import { type Collection as ReadCollection, readCollection } from '../core/analysis/collection.ts';
import { Plain } from '../core/model/value.ts';
import { osEnvironment } from '../platform/external-sources.ts';
import type { FilePlaces } from '../platform/file-places.ts';
import { fileAccess } from '../platform/files.ts';
import { findCollection } from '../platform/find-collection.ts';
import { machineFor } from '../platform/permissions.ts';
import { CollectionPlan } from './collection-plan.ts';

/** Which cases of a collection, and with what values. */
export interface PlanChoices {
  /** Folders, pages and cases (`berths.md#reserve-a-berth`), from the root of the collection; without them, all. */
  readonly paths?: readonly string[];
  /** Cases that have one of these tags. */
  readonly tags?: readonly string[];
  /** Cases that have none of these. */
  readonly notTags?: readonly string[];
  readonly environment?: string;
  /** Whether commands of pages may be run on this machine; else only where the user's own configuration allows it. */
  readonly commands?: boolean;
  /** Values of variables, stronger than what the settings say. */
  readonly variables?: { readonly [name: string]: string };
}

/** A collection on disk, as it was when it was opened. */
export class Collection {
  readonly #collection: ReadCollection;
  readonly #places: FilePlaces;

  /** @internal */
  constructor(collection: ReadCollection, places: FilePlaces) {
    this.#collection = collection;
    this.#places = places;
  }

  /** The folder that it lies in, absolute. */
  get root(): string {
    return this.#places.root;
  }

  /** Makes a run ready. Throws UsageError where a choice names nothing. */
  async plan(choices: PlanChoices = {}): Promise<CollectionPlan> {
    const { paths = [], variables = {}, commands = false, ...more } = choices;
    const given = new Map(
      Object.entries(variables).map(([name, text]) => [
        name,
        { value: new Plain(text), origin: 'given by the program' },
      ]),
    );
    const { plan, findings } = await buildPlan(this.#collection, {
      ...more,
      paths,
      given,
      ...fileAccess(this.#places),
      machine: machineFor(this.#places.root, commands),
      external: { variable: osEnvironment },
    });
    return new CollectionPlan(plan, findings, this.#places);
  }
}

/**
 * Opens the collection around a folder, a page or the working folder. Throws UsageError where there is none.
 * @param path absolute, or seen from the working folder
 */
export async function openCollection(path: string = process.cwd()): Promise<Collection> {
  const { root, files } = await findCollection([path], process.cwd());
  return new Collection(await readCollection(files), { root, anywhere: false });
}
