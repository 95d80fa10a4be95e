/** Events for one that iterates over them at its own pace. */
export class EventQueue<T> implements AsyncIterator<T> {
  #events: T[] = [];
  /** How many of them were taken: taking one off the front of a long list would move all the others. */
  #taken = 0;
  #end: { readonly error?: unknown } | undefined;
  #wake: (() => void) | undefined;
  #left = false;

  add(event: T): void {
    if (this.#left) return;
    this.#events.push(event);
    this.#wake?.();
  }

  /** No more events come; with an error where that is why. */
  end(error?: unknown): void {
    this.#end = error === undefined ? {} : { error };
    this.#wake?.();
  }

  async next(): Promise<IteratorResult<T>> {
    while (this.#taken === this.#events.length) {
      if (this.#end) {
        if ('error' in this.#end) throw this.#end.error;
        return { done: true, value: undefined };
      }
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
    const value = this.#events[this.#taken++]!;
    if (this.#taken === this.#events.length || this.#taken > 10_000) {
      this.#events = this.#events.slice(this.#taken);
      this.#taken = 0;
    }
    return { done: false, value };
  }

  /** Whoever stops iterating gets no more events; the run goes on. */
  async return(): Promise<IteratorResult<T>> {
    this.#left = true;
    this.#events = [];
    this.#taken = 0;
    return { done: true, value: undefined };
  }
}
