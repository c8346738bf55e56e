/** In milliseconds: so long may go to looking at responses before sockets are read again. */
const slice = 0.3;

/**
 * Lets those who look at something do so one after the other, as many in a turn of the event loop as a slice of time
 * has room for: in between, what has come over other connections is read, and noted as having come then.
 */
export class ResponseQueue {
  /** How many are to come in this turn of the event loop or the next. */
  #waiting = 0;
  #ends = 0;
  #isOver = false;

  constructor(readonly elapsed: () => number) {}

  next(): Promise<void> {
    return new Promise(resume => {
      if (this.#waiting++ === 0) setImmediate(this.#begin);
      setImmediate(this.#take, resume);
    });
  }

  readonly #begin = () => {
    this.#ends = this.elapsed() + slice;
    this.#isOver = false;
  };

  readonly #take = (resume: () => void) => {
    // Whoever finds the slice used up waits for the next turn, behind those that came before.
    if (!this.#isOver && this.elapsed() > this.#ends) {
      this.#isOver = true;
      setImmediate(this.#begin);
    }
    if (this.#isOver) setImmediate(this.#take, resume);
    else {
      this.#waiting--;
      resume();
    }
  };
}
