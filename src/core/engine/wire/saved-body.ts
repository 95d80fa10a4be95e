import type { FileSink } from '../../ports.ts';

/** How much of a body that is written to a file is kept in memory, for messages, in bytes. */
const BUFFERED = 16 * 1024;

/** A body on its way into a file: its size and beginning, and the file under its temporary name. */
export class SavedBody {
  readonly path: string;
  readonly #sink: FileSink;
  readonly #head: Uint8Array[] = [];
  #buffered = 0;
  size = 0;

  constructor(path: string, sink: FileSink) {
    this.path = path;
    this.#sink = sink;
  }

  async take(chunk: Uint8Array): Promise<void> {
    this.size += chunk.length;
    if (this.#buffered < BUFFERED) {
      this.#head.push(chunk.slice(0, BUFFERED - this.#buffered));
      this.#buffered += this.#head.at(-1)!.length;
    }
    await this.#sink.write(chunk);
  }

  /** The beginning of the body. */
  head(): Uint8Array {
    const all = new Uint8Array(this.#buffered);
    let at = 0;
    for (const chunk of this.#head) {
      all.set(chunk, at);
      at += chunk.length;
    }
    return all;
  }

  commit(): Promise<void> {
    return this.#sink.commit();
  }

  discard(): Promise<void> {
    return this.#sink.discard();
  }
}
