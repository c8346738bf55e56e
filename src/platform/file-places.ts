/** Where the files of a collection are looked for. */
export interface FilePlaces {
  /** Of the collection, absolute. */
  readonly root: string;
  /** Whether they may lie outside of the root. */
  readonly anywhere: boolean;
}
