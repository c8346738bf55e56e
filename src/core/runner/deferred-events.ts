/** So much waits at the most: where nothing else gives way in between, it is told at once. */
const most = 256;

/**
 * Tells what happened a moment later, in its order: not between a response and the next request, but while that one is on
 * its way. Whoever writes a record and counts then costs a run no time as long as the server takes some.
 */
export class DeferredEvents<Event> {
  #waiting: Event[] = [];
  #isSet = false;
  #failure: { readonly error: unknown } | undefined;

  constructor(
    readonly onEvent: (event: Event) => void,
    /** Called where `hear` threw; what it threw comes out of `finish`. */
    readonly onFailure: () => void,
  ) {}

  add(event: Event): void {
    this.#waiting.push(event);
    if (this.#waiting.length >= most) this.#tell();
    else if (!this.#isSet) {
      this.#isSet = true;
      // The next request is sent in one turn of the event loop, so this has to come in the one behind it.
      setImmediate(this.#later);
    }
  }

  /** Tells everything that still waits. Throws what `hear` has thrown. */
  finish(): void {
    this.#tell();
    if (this.#failure) throw this.#failure.error;
  }

  readonly #later = () => setImmediate(this.#now);

  readonly #now = () => {
    this.#isSet = false;
    this.#tell();
  };

  #tell(): void {
    const waiting = this.#waiting;
    this.#waiting = [];
    if (this.#failure) return;
    try {
      for (const event of waiting) this.onEvent(event);
    } catch (error) {
      this.#failure = { error };
      this.onFailure();
    }
  }
}
