/**
 * Lets those who look at something do so one after the other, each in a turn of the event loop of its own: in between,
 * what has come over other connections is read, and noted as having come then.
 */
export class Turns {
  #waiting: (() => void)[] = [];
  #at = 0;

  next(): Promise<void> {
    return new Promise(resume => {
      this.#waiting.push(resume);
      if (this.#waiting.length === 1) setImmediate(this.#take);
    });
  }

  readonly #take = () => {
    const resume = this.#waiting[this.#at++]!;
    if (this.#at === this.#waiting.length) {
      this.#waiting = [];
      this.#at = 0;
    } else setImmediate(this.#take);
    resume();
  };
}
