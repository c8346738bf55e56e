/** Where pages wait for each other. */
export interface PageTurns {
  /** Waits until a page may run; what comes back is called when it has. */
  enter(alone: boolean): Promise<() => void>;
}

/** Lets a page run while no other one does, of whatever user; pages go in the order in which they ask. */
export class PageLock implements PageTurns {
  readonly #waiting: { readonly alone: boolean; readonly enter: () => void }[] = [];
  #inside = 0;
  #isAlone = false;

  async enter(alone: boolean): Promise<() => void> {
    if (this.#waiting.length > 0 || !this.#mayEnter(alone))
      await new Promise<void>(enter => this.#waiting.push({ alone, enter }));
    else this.#take(alone);
    return () => {
      this.#inside--;
      this.#isAlone = false;
      this.#letIn();
    };
  }

  #mayEnter(alone: boolean): boolean {
    return alone ? this.#inside === 0 : !this.#isAlone;
  }

  #take(alone: boolean): void {
    this.#inside++;
    this.#isAlone = alone;
  }

  #letIn(): void {
    for (let next = this.#waiting[0]; next && this.#mayEnter(next.alone); next = this.#waiting[0]) {
      this.#waiting.shift();
      this.#take(next.alone);
      next.enter();
    }
  }
}
