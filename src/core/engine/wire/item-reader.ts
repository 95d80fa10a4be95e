import type { ReadAs, StreamedAs } from '../../chain/model.ts';
import { parseJson } from '../../language/json.ts';
import { visible } from '../../language/show.ts';
import type { Value } from '../../language/values.ts';
import type { EventReader, Formats, HeaderList, PieceDecoder } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { LineSplitter } from './line-splitter.ts';
import { contentTypeOf, streamedAs } from './read-response.ts';

/** An item of a stream, and how long it is about, in UTF-16 units as it came. */
type ReadItem = readonly [item: Value, length: number];

/** Reads the items of one response while it comes: events, values or texts, a line each. */
export class ItemReader {
  readonly as: StreamedAs | undefined;
  readonly events: EventReader | undefined;
  readonly #decoder: PieceDecoder;
  readonly #lines = new LineSplitter();
  #nthLine = 0;
  /** How long the lines are that no event has come of yet, in UTF-16 units. */
  #unread = 0;

  private constructor(
    as: StreamedAs | undefined,
    { decoder, events }: { readonly decoder: PieceDecoder; readonly events: EventReader | undefined },
  ) {
    this.as = as;
    this.events = events;
    this.#decoder = decoder;
  }

  /** Loads what reads a response; `before` read the one before it. Throws `response-not-as-typed`. */
  static async open(
    { headers, status }: { readonly headers: HeaderList; readonly status: number },
    formats: Formats,
    { before, readAs }: { readonly before: EventReader | undefined; readonly readAs: ReadAs | undefined },
  ): Promise<ItemReader> {
    const { type, charset } = contentTypeOf(headers);
    const as = streamedAs(readAs, type);
    const shown = type === undefined ? 'no content type' : visible(type);
    if (before && as !== 'events' && status !== 204)
      fail(`the stream was one of events, and its reconnection brought ${shown}`);
    if (type !== undefined && as === undefined)
      fail(`a stream of events or lines was expected, and came ${shown}`);
    const isOther = charset !== undefined && !/^(?:utf-?8|us-ascii)$/i.test(charset) && as !== 'events';
    return new ItemReader(as, {
      events: as === 'events' ? await formats.eventReader(before) : undefined,
      decoder: (isOther ? await formats.textDecoder(charset) : undefined) ?? utf8Pieces(as !== 'events'),
    });
  }

  /** The items that a piece of the body completes. Throws `response-not-as-typed`, `body-too-large`. */
  *take(chunk: Uint8Array): Generator<ReadItem, void> {
    yield* this.#itemsOf(this.#lines.take(this.#decoded(() => this.#decoder.decode(chunk))));
  }

  /** The same of what is left when the body is complete. */
  *end(): Generator<ReadItem, void> {
    yield* this.#itemsOf(this.#lines.take(this.#decoded(() => this.#decoder.end())));
    const rest = this.#lines.end();
    // An event that was not completed is none (HTML Standard, 9.2.6); a line is one without its end, too.
    if (rest !== undefined && this.as !== 'events') yield* this.#itemsOf([rest]);
  }

  #decoded(decode: () => string): string {
    try {
      return decode();
    } catch {
      return fail('text was expected in the stream, and came bytes that are not UTF-8');
    }
  }

  *#itemsOf(lines: readonly string[]): Generator<ReadItem, void> {
    if (this.events) {
      const events = this.events.read(lines);
      this.#unread += lengthOf(lines);
      if (events.length === 0) return;
      // How long each was can't be told apart; together they are as long as their lines.
      const length = Math.ceil(this.#unread / events.length);
      this.#unread = 0;
      for (const event of events) yield [event, length];
      return;
    }
    for (const line of lines) {
      this.#nthLine++;
      if (this.as !== 'json-lines') yield [line, line.length];
      else if (line.trim() !== '') yield [this.#jsonOf(line), line.length];
    }
  }

  /** The value of a line; RFC 7464 begins each text with a record separator. */
  #jsonOf(line: string): Value {
    try {
      return parseJson(line.startsWith('\x1e') ? line.slice(1) : line);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return fail(`JSON was expected on each line, and came line ${this.#nthLine}: ${error.problem.message}`);
    }
  }
}

function fail(message: string): never {
  throw new ProblemError({
    code: 'response-not-as-typed',
    message,
    hint: 'read-as: lines, which takes each line as a text; or the call without stream',
  });
}

function lengthOf(lines: readonly string[]): number {
  let length = 0;
  for (const line of lines) length += line.length;
  return length;
}

/** UTF-8 in pieces; what is none is replaced, or throws. */
function utf8Pieces(fatal: boolean): PieceDecoder {
  const decoder = new TextDecoder('utf-8', { fatal });
  return { decode: (piece) => decoder.decode(piece, { stream: true }), end: () => decoder.decode() };
}
