/** What the threads of a run know of each other's secrets: what one has come by may stand in the answer to another. */
export interface SharedSecrets {
  /** All others know of it from then on. */
  add(secret: string): void;
  /** The iteration that has come by them has ended. */
  retire(secrets: readonly string[]): void;
  /** Tells what others have said since it was last asked; costs next to nothing where that is nothing. */
  take(onAdded: (secret: string) => void, onRetired: (secrets: readonly string[]) => void): void;
}
