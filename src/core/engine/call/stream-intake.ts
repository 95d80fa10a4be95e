import type { CallStep, Stream } from '../../chain/model.ts';
import { fromUtf8 } from '../../language/encodings.ts';
import type { Environment } from '../../language/environment.ts';
import { brief, shorten } from '../../language/show.ts';
import { Duration, isObject, type Maybe, type Value } from '../../language/values.ts';
import { countOf } from '../../count-of.ts';
import type { EventReader, Receiver, ResponseHead } from '../../ports.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf, durationOf } from '../scope/settings.ts';
import { placed } from '../scope/with-place.ts';
import { LiveText } from './live-text.ts';
import type { Watched } from '../time/watchdog.ts';
import { Beginning } from '../wire/beginning.ts';
import type { Intake } from '../wire/intake.ts';
import { ItemReader } from '../wire/item-reader.ts';
import { contentTypeOf, type ReadBody } from '../wire/read-response.ts';

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
  #reader: ItemReader | undefined;
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
    this.#lastItem = this.#context.ports.clock.elapsed();
    if (this.#quiet < Infinity) this.#context.watchdog.add(this, this.#lastItem + this.#quiet);
    const ready = ItemReader.open(head, this.#context.ports.formats, {
      before: this.events,
      readAs: this.#step.readAs,
    }).then((reader) => {
      this.#reader = reader;
      this.events = reader.events;
    });
    // What it throws is thrown again when the first piece is taken.
    ready.catch(() => undefined);
    let isOpen = false;
    return async (chunk) => {
      if (!isOpen)
        await ready.catch((error: unknown) => {
          throw this.#explained(error);
        });
      isOpen = true;
      this.#take(chunk);
    };
  }

  #take(chunk: Uint8Array): void {
    if (this.done) return;
    this.size += chunk.length;
    this.#beginning.take(chunk);
    this.#takeItems(this.#reader!.take(chunk));
  }

  end(): Promise<void> {
    if (!this.done && this.#reader) this.#takeItems(this.#reader.end());
    return Promise.resolve();
  }

  close(): void {
    this.#stop = undefined;
    this.#reader = undefined;
    this.#live?.tell(true);
  }

  /** Of a body that is not kept whole only whole lines: its end may stand within a secret. */
  get bytes(): Uint8Array {
    const { bytes } = this.#beginning;
    return this.cut
      ? bytes.subarray(0, Math.max(bytes.lastIndexOf(0x0a), bytes.lastIndexOf(0x0d)) + 1)
      : bytes;
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

  #takeItems(items: Iterable<readonly [item: Value, length: number]>): void {
    try {
      for (const [item, length] of items) if (this.#takeItem(item, length)) return;
    } catch (error) {
      throw this.#explained(error);
    }
  }

  /** What is wrong with the form of the stream, with its place and with what came before. */
  #explained(error: unknown): unknown {
    if (!(error instanceof ProblemError) || error.problem.code !== 'response-not-as-typed') return error;
    const { message, ...rest } = error.problem;
    const before = this.received === 0 ? '' : `; before it ${countOf(this.received, 'item')} came`;
    return new ProblemError({ place: this.#step.at, ...rest, message: message + before });
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
    if (!this.events || !isObject(item)) return brief(item, ITEM_SHOWN);
    const { data, event } = item as { data: string; event?: string };
    return shorten(event === undefined ? data : `${event}: ${data}`, ITEM_SHOWN);
  }
}
