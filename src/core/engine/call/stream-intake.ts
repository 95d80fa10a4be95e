import type { CallStep, Stream, StreamedAs } from '../../chain/model.ts';
import { fromUtf8 } from '../../language/encodings.ts';
import type { Environment } from '../../language/environment.ts';
import { parseJson } from '../../language/json.ts';
import { brief, shorten, visible } from '../../language/show.ts';
import { Duration, isObject, type Maybe, type Value } from '../../language/values.ts';
import { countOf } from '../../count-of.ts';
import type { EventReader, HeaderList, PieceDecoder, Receiver, ResponseHead } from '../../ports.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import { isTextType } from '../../text-types.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf, durationOf } from '../scope/settings.ts';
import { placed } from '../scope/with-place.ts';
import { LiveText } from './live-text.ts';
import type { Watched } from '../time/watchdog.ts';
import { Beginning } from '../wire/beginning.ts';
import type { Intake } from '../wire/intake.ts';
import { LineSplitter } from '../wire/line-splitter.ts';
import { contentTypeOf, type ReadBody, streamedAs } from '../wire/read-response.ts';

/** So much of a body that comes bit by bit is kept for the record, in bytes. */
const KEPT = 1024 * 1024;

/** What the items that are held may measure in all, in bytes as they came. */
const HELD = 64 * 1024 * 1024;

/** A list of so many items is moved by one in no time. */
const SHORT_LIST = 10_000;

/** So many items are told one by one; of those after them the newest, now and then. */
const TOLD = 1000;

/** How long nothing more is told then, in milliseconds. */
const BETWEEN = 250;

/** How much of an item is told, in UTF-16 units. */
const ITEM_SHOWN = 200;

/** What has come of the stream of one step, and what bounds it. */
export class StreamIntake implements Intake, Watched {
  head: ResponseHead | undefined;
  done = false;
  size = 0;
  /** How many items have come. */
  received = 0;
  readonly items: Value[] = [];
  /** What an event stream says of itself. */
  events: EventReader | undefined;
  /** In milliseconds. */
  readonly within: number;
  readonly #context: RunContext;
  readonly #step: CallStep;
  readonly #stream: Stream;
  readonly #environment: Environment;
  readonly #quiet: number;
  readonly #upTo: number;
  readonly #newest: number;
  readonly #ends: number;
  #item: Maybe;
  /** Items for which the condition gave nothing. */
  #nothings = 0;
  #sizes: number[] = [];
  #held = 0;
  #lastItem = 0;
  #beginning = new Beginning(KEPT);
  #as: StreamedAs | undefined;
  #lines = new LineSplitter();
  #decoder: PieceDecoder | undefined;
  #nthLine = 0;
  #stop: ((reason: Error) => void) | undefined;
  #told = -Infinity;
  readonly #live: LiveText | undefined;

  constructor(context: RunContext, step: CallStep, stream: Stream) {
    this.#context = context;
    this.#step = step;
    this.#stream = stream;
    const settings = context.environment(step);
    this.within = durationOf(stream.within, settings);
    this.#quiet = stream.quiet ? durationOf(stream.quiet, settings) : Infinity;
    this.#upTo = amountOf(stream.upTo, settings);
    this.#newest = stream.newest ? Math.max(1, amountOf(stream.newest, settings)) : Infinity;
    const names: Readonly<Record<string, () => Maybe>> = {
      item: () => this.#item,
      gathered: () => this.items,
      received: () => this.received,
    };
    this.#environment = context.environment(step, this.items, (name) =>
      Object.hasOwn(names, name) ? names[name]!() : undefined,
    );
    this.#live = stream.live && new LiveText(context, step, stream.live, this.#environment);
    this.#ends = context.ports.clock.elapsed() + this.within;
    context.watchdog.add(this, this.#ends);
  }

  /** Whether the time is up. */
  get isLate(): boolean {
    return this.#context.ports.clock.elapsed() >= this.#ends - 1;
  }

  /** How much time is left, in milliseconds. */
  get left(): number {
    return Math.max(0, this.#ends - this.#context.ports.clock.elapsed());
  }

  // ---- one response

  open(stop: (reason: Error) => void): void {
    this.head = undefined;
    this.#stop = stop;
  }

  begin(head: ResponseHead): Receiver | undefined {
    if (head.status < 200 || head.status >= 300) return undefined;
    this.head = head;
    this.#beginning = new Beginning(KEPT);
    this.#nthLine = 0;
    this.#lines = new LineSplitter();
    this.#lastItem = this.#context.ports.clock.elapsed();
    if (this.#quiet < Infinity) this.#context.watchdog.add(this, this.#lastItem + this.#quiet);
    const ready = this.#load(head.headers);
    // What it throws is thrown again when the first piece is taken.
    ready.catch(() => undefined);
    let isOpen = false;
    return async (chunk) => {
      if (!isOpen) await ready;
      isOpen = true;
      this.#take(chunk);
    };
  }

  /** Loads what reads the body. */
  async #load(headers: HeaderList): Promise<void> {
    const { formats } = this.#context.ports;
    const { type, charset } = contentTypeOf(headers);
    const as = streamedAs(this.#step.readAs, type);
    this.#as = as;
    // No body, no type: there is nothing to be read.
    if (type !== undefined && as === undefined)
      throw new ProblemError({
        code: 'response-not-as-typed',
        message: `a stream of events or lines was expected, and came ${visible(type)}`,
        hint: isTextType(type) ? 'read-as: lines' : 'the call without stream, or read-as: lines',
        place: this.#step.at,
      });
    this.events = as === 'events' ? await formats.eventReader(this.events) : undefined;
    const isOther = charset !== undefined && !/^(?:utf-?8|us-ascii)$/i.test(charset) && as !== 'events';
    this.#decoder = (isOther ? await formats.textDecoder(charset) : undefined) ?? utf8Pieces(as !== 'events');
  }

  #take(chunk: Uint8Array): void {
    if (this.done) return;
    this.size += chunk.length;
    this.#beginning.take(chunk);
    this.#takeText(this.#decode(() => this.#decoder!.decode(chunk)));
  }

  #decode(decode: () => string): string {
    try {
      return decode();
    } catch {
      throw this.#notAsTyped('bytes that are not UTF-8', 'text');
    }
  }

  async end(): Promise<void> {
    if (this.done || !this.#decoder) return;
    this.#takeText(this.#decode(() => this.#decoder!.end()));
    const rest = this.#lines.end();
    // An event that was not completed is none (HTML Standard, 9.2.6); a line is one without its end, too.
    if (rest !== undefined && this.#as !== 'events') this.#takeLines([rest]);
    return Promise.resolve();
  }

  close(): void {
    this.#stop = undefined;
    this.#decoder = undefined;
    this.#live?.tell(true);
  }

  get bytes(): Uint8Array {
    return this.#beginning.bytes;
  }

  get cut(): boolean {
    return this.#beginning.isCut;
  }

  read(): ReadBody {
    this.#letGo();
    const { type } = contentTypeOf(this.head?.headers ?? []);
    const text = fromUtf8(this.bytes);
    return {
      value: this.items,
      ...(text === undefined ? {} : { text }),
      ...(type === undefined ? {} : { type }),
    };
  }

  // ---- items

  #takeText(text: string): void {
    const lines = this.#lines.take(text);
    if (lines.length > 0) this.#takeLines(lines);
  }

  #takeLines(lines: readonly string[]): void {
    if (this.#as === 'events') {
      const events = this.events!.read(lines);
      // How long each was can't be told apart; together they are as long as their lines.
      const length = events.length === 0 ? 0 : Math.ceil(lengthOf(lines) / events.length);
      for (const event of events) if (this.#takeItem(event, length)) return;
      return;
    }
    for (const line of lines) {
      this.#nthLine++;
      if (this.#as === 'lines') {
        if (this.#takeItem(line, line.length)) return;
      } else if (line.trim() !== '' && this.#takeItem(this.#jsonOf(line), line.length)) return;
    }
  }

  /** The value of a line; RFC 7464 begins each text with a record separator. */
  #jsonOf(line: string): Value {
    try {
      return parseJson(line.startsWith('\x1e') ? line.slice(1) : line);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      throw this.#notAsTyped(`line ${this.#nthLine}: ${error.problem.message}`, 'JSON on each line');
    }
  }

  #notAsTyped(got: string, expected: string): ProblemError {
    return new ProblemError({
      code: 'response-not-as-typed',
      message: `the stream expected ${expected}, and came ${got}; before it ${countOf(this.received, 'item')} came`,
      hint: 'read-as: lines, which takes each line as a text',
      place: this.#step.at,
    });
  }

  /** Takes an item; true where no more are wanted. */
  #takeItem(item: Value, length: number): boolean {
    if (this.received >= this.#upTo) {
      this.#bound({
        code: 'bound-reached',
        message: `more than ${countOf(this.#upTo, 'item')} came, the most that this step reads`,
        hint: `up-to: ${this.#upTo * 10}, or enough: yes where these will do`,
        place: this.#step.at,
      });
      return true;
    }
    this.received++;
    this.#item = item;
    this.#lastItem = this.#context.ports.clock.elapsed();
    this.#hold(item, length);
    this.#tellItem(item);
    this.#live?.add();
    const { until } = this.#stream;
    const held = until && placed(until, () => until.expression.test(this.#environment));
    // Items differ: one that has not what until speaks of is not the one that is waited for.
    if (until && held === undefined) this.#nothings++;
    if (held === true || (this.#stream.enough && this.received === this.#upTo)) {
      this.#finish();
      return true;
    }
    return false;
  }

  #hold(item: Value, length: number): void {
    this.items.push(item);
    this.#sizes.push(length);
    this.#held += length;
    // Letting go of one from a long list moves all others, so of such lists some are let go together.
    const slack = this.#newest > SHORT_LIST ? this.#newest / 10 : 0;
    if (this.items.length > this.#newest + slack) this.#letGo();
    if (this.#held > HELD)
      throw new ProblemError({
        code: 'body-too-large',
        message: `the items that came measure more than ${HELD / 1024 / 1024} MiB, the most that is held in memory`,
        hint: 'newest: 100 holds only so many of them',
        place: this.#step.at,
      });
  }

  /** Holds no more than the newest items. */
  #letGo(): void {
    const count = this.items.length - this.#newest;
    if (count <= 0) return;
    this.items.splice(0, count);
    for (const size of this.#sizes.splice(0, count)) this.#held -= size;
  }

  /** Enough has come. */
  #finish(): void {
    this.done = true;
    this.#stop?.(new Error('enough has come'));
  }

  // ---- bounds

  look(now: number): number {
    const quietEnds = this.#stop && this.head ? this.#lastItem + this.#quiet : Infinity;
    const due = Math.min(this.#ends, quietEnds);
    if (this.done) return Infinity;
    if (now < due - 1) return due;
    if (now >= this.#ends - 1) this.#bound(this.outOfTime());
    else
      this.#bound({
        code: 'stream-silent',
        message: `nothing came for ${brief(new Duration(this.#quiet))}; ${this.#sofar()}`,
        hint: 'quiet: with a longer time, or enough: yes where what has come will do',
        place: this.#step.at,
      });
    return Infinity;
  }

  /** A bound is reached. */
  #bound(problem: Problem): void {
    if (this.#stream.enough && this.head) this.#finish();
    else this.#stop?.(new ProblemError(problem));
  }

  outOfTime(): Problem {
    const { until } = this.#stream;
    const what = until ? `${until.expression.text} did not hold` : 'the stream did not end';
    return {
      code: 'stream-out-of-time',
      message: `${what} within ${brief(new Duration(this.within))}; ${this.#sofar()}`,
      hint: 'within: with a longer time, or enough: yes where what has come will do',
      place: this.#step.at,
    };
  }

  /** The response ended, and the condition of the stream has not held. */
  ended(): Problem {
    return {
      code: 'stream-ended',
      message: `the response ended before ${this.#stream.until!.expression.text} held; ${this.#sofar()}`,
      hint: 'without until all is read to the end of the response; retry: reconnects a stream of events',
      place: this.#step.at,
    };
  }

  /** "3 items came, the newest {…}" */
  #sofar(): string {
    if (this.received === 0) return 'no item came';
    const newest = this.#shown(this.#item!);
    const came =
      this.received === 1
        ? `1 item came: ${newest}`
        : `${countOf(this.received, 'item')} came, the newest ${newest}`;
    return this.#nothings < this.received
      ? came
      : `${came}; until found nothing in ${this.received === 1 ? 'it' : 'any of them'}`;
  }

  // ---- telling

  /** Items came, and none of them added to the text that is to be shown live. */
  get isLiveEmpty(): boolean {
    return this.#live?.isEmpty === true && this.received > 0;
  }

  #tellItem(item: Value): void {
    if (this.received > TOLD && this.#lastItem - this.#told < BETWEEN) return;
    this.#told = this.#lastItem;
    this.#context.emit({
      event: 'item-received',
      step: this.#context.address(this.#step),
      nth: this.received,
      item: this.#shown(item),
    });
  }

  /** An item as a person reads it: an event by its kind and data, a line as it is. */
  #shown(item: Value): string {
    if (typeof item === 'string') return shorten(item, ITEM_SHOWN);
    if (this.#as !== 'events' || !isObject(item)) return shorten(brief(item), ITEM_SHOWN);
    const { data, event } = item as { data: string; event?: string };
    return shorten(event === undefined ? data : `${event}: ${data}`, ITEM_SHOWN);
  }
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
