/** Events for one that iterates over them at its own pace. */
export class EventQueue<T> implements AsyncIterator<T> {
  readonly #events: T[] = [];
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
    while (this.#events.length === 0) {
      if (this.#end) {
        if ('error' in this.#end) throw this.#end.error;
        return { done: true, value: undefined };
      }
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
    return { done: false, value: this.#events.shift()! };
  }

  /** Whoever stops iterating gets no more events; the run goes on. */
  async return(): Promise<IteratorResult<T>> {
    this.#left = true;
    this.#events.length = 0;
    return { done: true, value: undefined };
  }
}
