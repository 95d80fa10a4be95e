import { ProblemError } from '../../problems.ts';
import type { FileSink, HeaderList, Receiver, ResponseHead, ResumableSink } from '../../ports.ts';
import { Beginning } from './beginning.ts';

/** How much of a body that is written to a file is kept in memory, for messages, in bytes. */
const BUFFERED = 16 * 1024;

/** A body on its way into a file: its size and beginning, and the file under its temporary name. */
export class SavedBody {
  readonly path: string;
  readonly #sink: FileSink;
  readonly #resumable: ResumableSink | undefined;
  readonly #beginning = new Beginning(BUFFERED);
  size = 0;
  /** A response that is saved has come; an error is none where a download goes on. */
  isBegun = true;

  constructor(path: string, sink: FileSink | ResumableSink) {
    this.path = path;
    this.#sink = sink;
    this.#resumable = 'keep' in sink ? sink : undefined;
    this.isBegun = !this.#resumable;
  }

  /** The headers of a request for what is missing (RFC 9110, sections 13.1.5 and 14.2). Only bytes as they are can be counted. */
  ranged(headers: HeaderList): HeaderList {
    if (!this.#resumable) return headers;
    const { left } = this.#resumable;
    const others = headers.filter(([name]) => !/^(?:accept-encoding|range|if-range)$/i.test(name));
    return [
      ...others,
      ['accept-encoding', 'identity'],
      ...(left
        ? ([
            ['Range', `bytes=${left.size}-`],
            ['If-Range', left.validator],
          ] as const)
        : []),
    ];
  }

  /** What takes the body of a response; undefined where it is none that is saved. */
  receiver({ headers, status }: ResponseHead): Receiver | undefined {
    const sink = this.#resumable;
    if (!sink) return (chunk) => this.take(chunk);
    if (status < 200 || status >= 300) return undefined;
    const value = (name: string): string | undefined => headers.find(([other]) => other === name)?.[1];
    const goesOn = status === 206;
    const from = Number(/^bytes (\d+)-/.exec(value('content-range') ?? '')?.[1]);
    if (goesOn && from !== sink.left?.size)
      throw new ProblemError({
        code: 'response-not-as-typed',
        message: `the service sent another part than it was asked for: ${value('content-range') ?? 'without Content-Range'}`,
      });
    const etag = value('etag');
    // A weak one does not say that the bytes are the same.
    const validator = etag !== undefined && !etag.startsWith('W/') ? etag : value('last-modified');
    this.isBegun = true;
    this.size = goesOn ? sink.left!.size : 0;
    const ready = sink.begin(goesOn, validator);
    ready.catch(() => undefined);
    return async (chunk) => {
      await ready;
      await this.take(chunk);
    };
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

  /** It was cut: what has come stays where a later download may go on with it. */
  async interrupted(): Promise<void> {
    await (this.#resumable ? this.#resumable.keep() : this.#sink.discard());
  }
}
