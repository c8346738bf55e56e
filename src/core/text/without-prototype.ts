/**
 * A table that is looked up by what users write: of what is not in it (`constructor`, `toString`) it knows nothing, as
 * objects otherwise do.
 */
export function withoutPrototype<Entries extends object>(entries: Entries): Entries {
  return Object.assign(Object.create(null), entries) as Entries;
}
