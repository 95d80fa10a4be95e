import type { FileSink } from '../../ports.ts';
import { Beginning } from './beginning.ts';

/** How much of a body that is written to a file is kept in memory, for messages, in bytes. */
const BUFFERED = 16 * 1024;

/** A body on its way into a file: its size and beginning, and the file under its temporary name. */
export class SavedBody {
  readonly path: string;
  readonly #sink: FileSink;
  readonly #beginning = new Beginning(BUFFERED);
  size = 0;

  constructor(path: string, sink: FileSink) {
    this.path = path;
    this.#sink = sink;
  }

  async take(chunk: Uint8Array): Promise<void> {
    this.size += chunk.length;
    this.#beginning.take(chunk);
    await this.#sink.write(chunk);
  }

  /** The beginning of the body. */
  head(): Uint8Array {
    return this.#beginning.bytes;
  }

  commit(): Promise<void> {
    return this.#sink.commit();
  }

  discard(): Promise<void> {
    return this.#sink.discard();
  }
}
