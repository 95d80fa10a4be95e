import { PassThrough, type Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib';
import { ProblemError } from '../core/problems.ts';
import { memberOf } from '../core/language/values.ts';

/** How much may wait to be taken before the service is asked to pause, in bytes. */
const WAITING = 1024 * 1024;

const DECODERS: Readonly<Record<string, () => Transform>> = {
  gzip: createGunzip,
  'x-gzip': createGunzip,
  deflate: createInflate,
  br: createBrotliDecompress,
};

/** Hands a body on while it comes, without its content codings, no faster than it is taken. */
export class Receiving {
  readonly #resume: () => void;
  readonly #abort: (reason: Error) => void;
  readonly #receive: (chunk: Uint8Array) => Promise<void>;
  readonly #decoding: { readonly input: PassThrough; readonly done: Promise<void> } | undefined;
  #taking: Promise<void> = Promise.resolve();
  #waiting = 0;
  #paused = false;
  #failed = false;

  /** Throws `body-broken` for a content coding that was not asked for. */
  constructor(
    resume: () => void,
    abort: (reason: Error) => void,
    receive: (chunk: Uint8Array) => Promise<void>,
    encoding: string | undefined,
  ) {
    this.#resume = resume;
    this.#abort = abort;
    this.#receive = receive;
    const codings = (encoding ?? '')
      .split(',')
      .map((one) => one.trim().toLowerCase())
      .filter((one) => one !== '' && one !== 'identity');
    if (codings.length > 0) this.#decoding = this.#decode(codings.reverse());
  }

  #decode(codings: readonly string[]): { input: PassThrough; done: Promise<void> } {
    const input = new PassThrough();
    const decoders = codings.map((coding) => {
      const make = memberOf(DECODERS, coding);
      if (make) return make();
      throw new ProblemError({
        code: 'body-broken',
        message: `the body is in the content coding ${coding}, which was not asked for`,
      });
    });
    const take = async (chunks: AsyncIterable<Buffer>): Promise<void> => {
      for await (const chunk of chunks) await this.#receive(chunk);
    };
    const done = pipeline([input, ...decoders, take] as never).catch((error: unknown) => {
      this.#failed = true;
      const problem =
        error instanceof ProblemError
          ? error
          : new ProblemError({
              code: 'body-broken',
              message: `the body is not ${codings.join(', ')}, as its Content-Encoding says: ${(error as Error).message}`,
            });
      this.#abort(problem);
      throw problem;
    });
    // It is awaited at the end; until then it must not count as unhandled.
    done.catch(() => undefined);
    return { input, done };
  }

  /** Takes a piece of the body; gives whether more may come at once. */
  take(chunk: Buffer): boolean {
    if (this.#failed) return true;
    if (this.#decoding) {
      const { input } = this.#decoding;
      if (input.write(chunk)) return true;
      input.once('drain', this.#resume);
      return false;
    }
    this.#waiting += chunk.length;
    this.#paused ||= this.#waiting > WAITING;
    this.#taking = this.#taking
      .then(() => this.#receive(chunk))
      .then(() => {
        this.#waiting -= chunk.length;
        if (!this.#paused || this.#waiting > WAITING) return;
        this.#paused = false;
        this.#resume();
      });
    this.#taking.catch((error: unknown) => {
      this.#failed = true;
      this.#abort(error as Error);
    });
    return !this.#paused;
  }

  /** When all has been taken. */
  async end(): Promise<void> {
    if (!this.#decoding) return this.#taking;
    this.#decoding.input.end();
    return this.#decoding.done;
  }
}
