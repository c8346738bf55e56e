/** In milliseconds: so long may go to looking at responses before sockets are read again. */
const slice = 0.3;
/** In milliseconds: what the system takes to hand out what has come since it was last asked. */
const handOut = 0.3;

/**
 * Lets those who look at something do so one after the other, as many in a turn of the event loop as a slice of time
 * has room for: in between, what has come over other connections is read, and noted as having come then.
 */
export class ResponseQueue {
  /** How many are to come in this turn of the event loop or the next. */
  #waiting = 0;
  #ends = 0;
  #isOver = false;
  /** Whether something has been read since looks were last taken; when the first of it was, and how late. */
  #hasRead = false;
  #firstRead = 0;
  #firstLag = 0;
  /** When the looks behind the last reading began, and when the last one did. */
  #looksBegan = 0;
  #lastLook = 0;
  /** How long a look takes, as a mean that follows what it does. */
  #look = 0.1;
  #lookedInTurn = false;

  constructor(readonly elapsed: () => number) {}

  /**
   * How late the program was to read what it reads now, in milliseconds: what came while it was busy is taken for having
   * come in the middle of that. To be asked right behind the reading, before `next`.
   */
  lag(): number {
    const now = this.elapsed();
    if (!this.#hasRead) {
      const isLate = now - this.#lastLook - this.#look < handOut;
      this.#firstLag = isLate ? (now - this.#looksBegan) / 2 : 0;
      this.#firstRead = now;
      this.#hasRead = true;
    }
    return this.#firstLag + (now - this.#firstRead);
  }

  next(): Promise<void> {
    return new Promise(resume => {
      if (this.#waiting++ === 0) setImmediate(this.#begin);
      setImmediate(this.#take, resume);
    });
  }

  readonly #begin = () => {
    const now = this.elapsed();
    this.#beginLooks(now);
    this.#ends = now + slice;
    this.#isOver = false;
    this.#lookedInTurn = false;
  };

  readonly #take = (resume: () => void) => {
    // Whoever finds the slice used up waits for the next turn, behind those that came before.
    const now = this.elapsed();
    this.#beginLooks(now);
    if (!this.#isOver && now > this.#ends) {
      this.#isOver = true;
      setImmediate(this.#begin);
    }
    if (this.#isOver) setImmediate(this.#take, resume);
    else {
      if (this.#lookedInTurn) this.#look += (now - this.#lastLook - this.#look) / 16;
      this.#lookedInTurn = true;
      this.#lastLook = now;
      this.#waiting--;
      resume();
    }
  };

  #beginLooks(now: number): void {
    if (!this.#hasRead) return;
    this.#hasRead = false;
    this.#looksBegan = now;
  }
}
