/**
 * What is held of each user of a run: events of several stand mixed in its record, those of one are in order, round after
 * round.
 */
export class ByUser<State> {
  readonly #states = new Map<number, State>();

  constructor(readonly begin: () => State) {}

  of({ user = 0 }: { readonly user?: number | undefined }): State {
    let state = this.#states.get(user);
    if (state === undefined) {
      state = this.begin();
      this.#states.set(user, state);
    }
    return state;
  }

  /** What was held, which is then begun anew. */
  take({ user = 0 }: { readonly user?: number | undefined }): State {
    const state = this.#states.get(user) ?? this.begin();
    this.#states.delete(user);
    return state;
  }

  /** Of all users that something is held of. */
  get all(): Iterable<State> {
    return this.#states.values();
  }

  get isEmpty(): boolean {
    return this.#states.size === 0;
  }
}
