import type { Markup } from './language/markup.ts';
import type { Value } from './language/values.ts';

/** Readers of formats that are loaded only where they are met. */
export interface Formats {
  /** CSV (RFC 4180) with names in its first row, as a list of objects of texts. Throws `response-not-as-typed`. */
  csv(text: string, separator?: string): Promise<Value>;
  /** Reads bytes in a charset of the IANA registry; returns undefined for one that is not known. */
  charset(name: string): Promise<((bytes: Uint8Array) => string) | undefined>;
  /** A decoder of text in a charset of the IANA registry that comes in pieces; undefined for one that is not known. */
  textDecoder(charset: string): Promise<PieceDecoder | undefined>;
  /** A reader of server-sent events (HTML Standard, 9.2), for the first connection or one after another. */
  eventReader(before?: Pick<EventReader, 'lastId' | 'retry'>): Promise<EventReader>;
  /** The reader of XML and HTML. */
  markup(): Promise<Markup>;
}

/** Decodes a text that comes in pieces. */
export interface PieceDecoder {
  decode(piece: Uint8Array): string;
  /** The rest, once all pieces have come. */
  end(): string;
}

/** Reads server-sent events as they come. */
export interface EventReader {
  /**
   * Reads on; the events that are complete are objects with `data`, and `event` and `id` where they were given. Throws
   * `body-too-large`.
   */
  read(lines: readonly string[]): Value[];
  /** What a reconnection says as Last-Event-ID; empty where there is none. */
  readonly lastId: string;
  /** How long to wait before a reconnection, in milliseconds; undefined if the service does not say. */
  readonly retry: number | undefined;
}
