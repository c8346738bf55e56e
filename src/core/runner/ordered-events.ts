/** So many events of a page wait for the pages before it; then the page waits too. */
const roomForEvents = 4000;

/** Where what happens in one page goes. */
export interface Lane<Event> {
  emit(event: Event): void;
  /** Waits where too much has been said that nobody has heard yet. */
  room(): Promise<void> | undefined;
  end(): void;
}

/**
 * Lets several pages happen at once and be told one after the other, in the order in which their lanes were made: the
 * first one that has not ended is heard at once, what the others say is kept until it is their turn.
 */
export class OrderedEvents<Event> {
  readonly #lanes: { kept: Event[]; ended: boolean; onTurn: (() => void)[] }[] = [];
  #turn = 0;

  constructor(readonly emit: (event: Event) => void) {}

  lane(): Lane<Event> {
    const place = this.#lanes.length;
    const lane = { kept: [] as Event[], ended: false, onTurn: [] as (() => void)[] };
    this.#lanes.push(lane);
    return {
      emit: event => {
        if (place === this.#turn) this.emit(event);
        else lane.kept.push(event);
      },
      room: () =>
        place === this.#turn || lane.kept.length < roomForEvents
          ? undefined
          : new Promise(resume => lane.onTurn.push(resume)),
      end: () => {
        lane.ended = true;
        this.#advance();
      },
    };
  }

  #advance(): void {
    while (this.#lanes[this.#turn]?.ended) {
      this.#turn++;
      const next = this.#lanes[this.#turn];
      for (const event of next?.kept.splice(0) ?? []) this.emit(event);
      for (const resume of next?.onTurn.splice(0) ?? []) resume();
    }
  }
}
