import {
  closeSync,
  fdatasync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { gzip, gzipSync } from 'node:zlib';
import type { RunEvent } from '../../core/events.ts';
import type { RunRecord } from '../../core/ports.ts';
import { reasonOf } from '../reason.ts';
import { BODIES, EVENTS, INCOMPLETE, LONG, OUTLINE, PROCESS, SUMMARY } from './layout.ts';
import { Outline } from './outline.ts';
import { type RunSummary, Summing } from './summary.ts';

/** Events are gathered for so long before they are written, in milliseconds. */
const GATHERED_FOR = 30;
/** With so many they are written as soon as all responses that have come are processed: while the next ones are waited for. */
const GATHERED = 100;
const GATHERED_AT_MOST = 1000;
/** What is written at once at least, where there is more, in bytes. */
const CHUNK = 64 * 1024;
const NEWLINE = 10;
/** How large a body may be that is kept, and all bodies of a run, in characters or bytes. */
const LARGEST_BODY = 8 * 1024 * 1024;
const LARGEST_SUM = 64 * 1024 * 1024;
/** Larger bodies are compressed. */
const COMPRESSED = 16 * 1024;
/** How often a run says that it is still going on, in milliseconds. */
const ALIVE = 10_000;

/**
 * Writes the record of one run while it goes on: `events.jsonl`, and bodies by their digests. A record that can't be
 * written is no reason for a run to fail: it is said once, and the rest is not recorded.
 */
export class RecordWriter implements RunRecord {
  readonly #folder: string;
  readonly #warn: (why: string) => void;
  readonly #summing: Summing;
  readonly #outline: Outline;
  readonly #kept = new Set<string>();
  /** Steps that wait for the response to a request that may be sent only once. */
  readonly #once = new Set<string>();
  readonly #writing = new Set<Promise<void>>();
  #file: number | undefined;
  /** Events that are to be written: many at a time are made into lines in half the time that each by itself takes. */
  #gathered: RunEvent[] = [];
  /** Lines that are to be written, and how much of it they fill. */
  readonly #lines = Buffer.allocUnsafe(2 * CHUNK);
  #filled = 0;
  /** What has been written of events, in bytes. */
  #told = 0;
  #timer: NodeJS.Timeout | undefined;
  #soon: NodeJS.Immediate | undefined;
  #alive: NodeJS.Timeout | undefined;
  #hasFailed = false;
  #sum = 0;
  #size = 0;
  #syncing: Promise<void> | undefined;
  #nextSync: Promise<void> | undefined;

  /** `folder` is there already; `before` is what is known of a run that goes on, `size` what its events take, in bytes. Nothing is written
   * where `isWritten` is false. */
  constructor(
    folder: string,
    warn: (why: string) => void,
    before?: { readonly summary: Summing; readonly outline: Outline; readonly size: number },
    isWritten = true,
  ) {
    this.#folder = folder;
    this.#warn = warn;
    this.#summing = before?.summary ?? new Summing();
    this.#outline = before?.outline ?? new Outline();
    this.#told = before?.size ?? 0;
    if (!isWritten) {
      this.#hasFailed = true;
      return;
    }
    this.#trying(() => {
      mkdirSync(join(folder, BODIES), { recursive: true });
      this.#isAlive();
      this.#file = openSync(join(folder, EVENTS), 'a', 0o600);
      this.#alive = setInterval(() => this.#trying(() => this.#isAlive()), ALIVE);
      this.#alive.unref();
    });
  }

  #isAlive(): void {
    writeFileSync(join(this.#folder, PROCESS), `${process.pid}\n`);
  }

  /** From the first failure on nothing is written any more. */
  #trying(work: () => void): void {
    try {
      work();
    } catch (error) {
      this.#failed(error as Error);
    }
  }

  #failed(error: NodeJS.ErrnoException): void {
    clearInterval(this.#alive);
    this.#file = undefined;
    if (!this.#hasFailed) this.#warn(reasonOf(error));
    this.#hasFailed = true;
    try {
      // An empty file takes no space, so it can be made where the disk is full: nobody takes this record for a whole one.
      writeFileSync(join(this.#folder, INCOMPLETE), '');
    } catch {
      // then there is mostly no record at all
    }
  }

  /** Takes an event as it happens. */
  take(event: RunEvent): void {
    this.#gathered.push(event);
    if (event.event === 'request-sent' && event.resend !== undefined) this.#once.add(event.step);
    const settled =
      this.#once.size > 0 &&
      (event.event === 'response-received' || event.event === 'request-failed') &&
      this.#once.delete(event.step);
    // What came of a request that can't be sent again is written at once.
    if (settled || this.#gathered.length >= GATHERED_AT_MOST) this.#flush();
    else if (this.#gathered.length >= GATHERED) this.#soon ??= setImmediate(() => this.#flush());
    else this.#timer ??= setTimeout(() => this.#flush(), GATHERED_FOR);
  }

  #flush(): void {
    clearTimeout(this.#timer);
    clearImmediate(this.#soon);
    this.#timer = this.#soon = undefined;
    const events = this.#gathered;
    this.#gathered = [];
    for (const event of events) {
      this.#summing.take(event);
      if (this.#file !== undefined) this.#line(event);
    }
    this.#write();
  }

  /** An event as a line behind the others. */
  #line(event: RunEvent): void {
    const line = JSON.stringify(event);
    const start = this.#told + this.#filled;
    // A character takes three bytes at most.
    if (line.length * 3 >= this.#lines.length - this.#filled) this.#write();
    if (line.length * 3 < this.#lines.length) {
      this.#filled += this.#lines.write(line, this.#filled);
      this.#lines[this.#filled++] = NEWLINE;
    } else this.#append(Buffer.from(`${line}\n`));
    this.#outline.take(event, [start, this.#told + this.#filled]);
  }

  #write(): void {
    const bytes = this.#lines.subarray(0, this.#filled);
    this.#filled = 0;
    if (bytes.length > 0) this.#append(bytes);
  }

  #append(bytes: Uint8Array): void {
    if (this.#file === undefined) return;
    this.#trying(() => {
      for (let at = 0; at < bytes.length;) at += writeSync(this.#file!, bytes, at);
      this.#told += bytes.length;
    });
  }

  durable(): Promise<void> {
    this.#flush();
    // All that ask while the disk is at work are served by its next round.
    this.#nextSync ??= (this.#syncing ?? Promise.resolve()).then(() => {
      this.#nextSync = undefined;
      return (this.#syncing = this.#sync());
    });
    return this.#nextSync;
  }

  async #sync(): Promise<void> {
    if (this.#file === undefined) return;
    try {
      await promisify(fdatasync)(this.#file);
    } catch (error) {
      this.#failed(error as Error);
    }
  }

  keep(digest: string, content: string | Uint8Array, atOnce = false): void {
    if (this.#file === undefined || this.#kept.has(digest)) return;
    if (content.length > LARGEST_BODY || this.#sum + content.length > LARGEST_SUM) return;
    this.#kept.add(digest);
    this.#sum += content.length;
    const path = join(this.#folder, BODIES, digest);
    const compress = content.length > COMPRESSED;
    if (atOnce) {
      this.#trying(() => this.#writeBody(path, compress ? gzipSync(content) : content, compress));
      return;
    }
    const writing = this.#writeLater(path, content, compress)
      .catch((error: unknown) => this.#failed(error as Error))
      .finally(() => this.#writing.delete(writing));
    this.#writing.add(writing);
  }

  #writeBody(path: string, content: string | Uint8Array, compressed: boolean): void {
    writeFileSync(compressed ? `${path}.gz` : path, content, { mode: 0o600 });
    this.#size += content.length;
  }

  async #writeLater(path: string, content: string | Uint8Array, compress: boolean): Promise<void> {
    const written = compress ? await promisify(gzip)(content) : content;
    await writeFile(compress ? `${path}.gz` : path, written, { mode: 0o600 });
    this.#size += written.length;
  }

  /** The lines of the outline, out of those of all events. */
  #writeOutline(): void {
    const from = openSync(join(this.#folder, EVENTS), 'r');
    const lines = this.#outline.spans().map(([start, end]) => {
      const line = Buffer.allocUnsafe(end - start);
      readSync(from, line, 0, line.length, start);
      return line;
    });
    closeSync(from);
    writeFileSync(join(this.#folder, OUTLINE), Buffer.concat(lines), { mode: 0o600 });
  }

  /** Ends the record: what is still to be written, and the summary. */
  async close(): Promise<RunSummary | undefined> {
    await Promise.all(this.#writing);
    this.#flush();
    clearInterval(this.#alive);
    const summary = this.#summing.summary(this.#size + this.#told);
    if (this.#file === undefined || !summary) return undefined;
    this.#trying(() => {
      closeSync(this.#file!);
      if (this.#told > LONG) this.#writeOutline();
      const temporary = join(this.#folder, `${SUMMARY}.new`);
      writeFileSync(temporary, `${JSON.stringify(summary)}\n`, { mode: 0o600 });
      renameSync(temporary, join(this.#folder, SUMMARY));
    });
    this.#file = undefined;
    return summary;
  }
}
