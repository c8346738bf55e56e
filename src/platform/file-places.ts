/** Where the files of a collection are looked for. */
export interface FilePlaces {
  /** Of the collection, absolute. */
  readonly root: string;
  /** Whether they may lie outside of the root. */
  readonly anywhere: boolean;
  /** Whether even what the settings name by its path may not: the collection is somebody else's. */
  readonly confined?: boolean | undefined;
}
