import type { Receiver, ResponseHead } from '../../ports.ts';
import type { ReadBody } from './read-response.ts';

/** Takes responses bit by bit, over all connections of one call. */
export interface Intake {
  /** A request is sent; `stop` ends it. */
  open(stop: (reason: Error) => void): void;
  /** A response begins: what takes its body, or undefined where it is read whole. */
  begin(head: ResponseHead): Receiver | undefined;
  /** The body is complete. Throws what is wrong with its last item. */
  end(): Promise<void>;
  /** The request has ended, however it did. */
  close(): void;
  /** The head of the latest response, where that is taken bit by bit. */
  readonly head: ResponseHead | undefined;
  /** Enough has come: that the request was ended is no failure. */
  readonly done: boolean;
  /** The beginning of the latest body. */
  readonly bytes: Uint8Array;
  /** There was more of it than is kept. */
  readonly cut: boolean;
  /** Bytes of bodies in all. */
  readonly size: number;
  /** What has come, as the body of one response. */
  read(): ReadBody;
}
