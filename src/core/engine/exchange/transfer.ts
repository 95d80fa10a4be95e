import type { CallStep } from '../../chain/model.ts';
import type { StreamedBody, WireRequest } from '../../ports.ts';
import type { RunContext } from '../scope/context.ts';

/** A body smaller than that is there before anybody could look, in bytes. */
const WORTH_TELLING = 256 * 1024;

/** How long nothing more is told, in milliseconds. */
const BETWEEN = 250;

/** Tells how much of a long body has been sent or has come, now and then. */
export class Transfer {
  readonly #context: RunContext;
  readonly #step: CallStep;
  readonly #direction: 'received' | 'sent';
  #last = -Infinity;

  constructor(context: RunContext, step: CallStep, direction: 'received' | 'sent') {
    this.#context = context;
    this.#step = step;
    this.#direction = direction;
  }

  /** So many bytes in all by now; of how many, where that is known. */
  take(bytes: number, of: number | undefined): void {
    if (Math.max(bytes, of ?? 0) < WORTH_TELLING) return;
    const now = this.#context.ports.clock.elapsed();
    if (now - this.#last < BETWEEN) return;
    this.#last = now;
    this.#context.emit({
      event: 'transferred',
      step: this.#context.address(this.#step),
      direction: this.#direction,
      bytes,
      ...(of === undefined ? {} : { of }),
    });
  }

  /** A request whose body tells how much of it has been read, where it is read while it is sent. */
  watching(wire: WireRequest): WireRequest {
    const { body } = wire;
    if (!body || body instanceof Uint8Array || body.size < WORTH_TELLING) return wire;
    return { ...wire, body: this.#counted(body) };
  }

  #counted(body: StreamedBody): StreamedBody {
    const tell = (bytes: number): void => this.take(bytes, body.size);
    return {
      size: body.size,
      chunks: async function* () {
        let bytes = 0;
        for await (const chunk of body.chunks()) {
          yield chunk;
          bytes += chunk.length;
          tell(bytes);
        }
      },
    };
  }
}
