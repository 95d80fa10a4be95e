import { PassThrough } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { ProblemError } from '../../core/problems.ts';
import { codingsOf } from './content-codings.ts';

/** How much may wait to be taken before the service is asked to pause, in bytes. */
const WAITING = 1024 * 1024;

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

  constructor(
    resume: () => void,
    abort: (reason: Error) => void,
    receive: (chunk: Uint8Array) => Promise<void>,
    encoding: string | undefined,
  ) {
    this.#resume = resume;
    this.#abort = abort;
    this.#receive = receive;
    const { known } = codingsOf(encoding);
    if (known.length > 0) this.#decoding = this.#decode(known);
  }

  #decode(codings: ReturnType<typeof codingsOf>['known']): { input: PassThrough; done: Promise<void> } {
    const input = new PassThrough();
    const decoders = codings.map(({ coding }) => coding.stream());
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
              message: `the body is not ${codings.map(({ name }) => name).join(', ')}, as its Content-Encoding says: ${(error as Error).message}`,
            });
      this.#abort(problem);
      throw problem;
    });
    // It is awaited at the end; until then it must not count as unhandled.
    done.catch(() => undefined);
    return { input, done };
  }

  /** Takes a piece of the body; returns whether more may come at once. */
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
