/** Lets calls of different functions through one after the other: each begins when the one before it has ended, however that did. */
export class Turns {
  #last: Promise<unknown> = Promise.resolve();

  /** The same function, whose calls wait for their turn. */
  take<A extends readonly unknown[], R>(work: (...of: A) => Promise<R>): (...of: A) => Promise<R> {
    return (...of) => {
      const mine = this.#last.then(() => work(...of));
      this.#last = mine.catch(() => undefined);
      return mine;
    };
  }
}
