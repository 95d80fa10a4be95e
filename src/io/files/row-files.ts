import { mkdir, readFile, realpath, stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { NewRow, WrittenRow } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { replaceFile } from './files.ts';
import { notWritten } from './local-sink.ts';
import { readTable, type RowTable } from './row-tables.ts';

/** After this long the lock of a process that was killed is broken, in milliseconds. */
const STALE = 4000;

interface Waiting {
  readonly row: NewRow;
  readonly resolve: (written: WrittenRow) => void;
  readonly reject: (error: unknown) => void;
}

interface Done {
  readonly one: Waiting;
  readonly written: WrittenRow;
}

/** Writes rows into one file: those that come while it is being written go together the next time. */
class RowFile {
  readonly #whole: string;
  readonly #shown: string;
  #waiting: Waiting[] = [];
  #isBusy = false;
  /** What the file passed when it was read or written last, and what it looked like from outside. */
  #known: { readonly table: RowTable; readonly look: string } | undefined;

  constructor(whole: string, shown: string) {
    this.#whole = whole;
    this.#shown = shown;
  }

  write(row: NewRow): Promise<WrittenRow> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ row, resolve, reject });
      if (!this.#isBusy) void this.#work();
    });
  }

  async #work(): Promise<void> {
    this.#isBusy = true;
    while (this.#waiting.length > 0) {
      const batch = this.#waiting;
      this.#waiting = [];
      try {
        const done = await this.#locked((whole) => this.#writeAll(whole, batch));
        for (const { one, written } of done) one.resolve(written);
      } catch (error) {
        this.#known = undefined;
        for (const { reject } of batch) reject(error);
      }
    }
    this.#isBusy = false;
  }

  /** Other runs, also those of other processes, wait. Works on what a link stands for. */
  async #locked<T>(work: (whole: string) => Promise<T>): Promise<T> {
    try {
      await mkdir(dirname(this.#whole), { recursive: true });
    } catch (error) {
      throw notWritten(this.#whole, error as NodeJS.ErrnoException);
    }
    const whole = await realpath(this.#whole).catch(() => this.#whole);
    const { default: lockfile } = await import('proper-lockfile');
    let unlock: () => Promise<void>;
    try {
      unlock = await lockfile.lock(whole, {
        realpath: false,
        stale: STALE,
        retries: { retries: 400, minTimeout: 5, maxTimeout: 50, factor: 1.2 },
        onCompromised: () => undefined, // it was locked too long, and the file is replaced in one move all the same
      });
    } catch (error) {
      throw notWritten(whole, error as NodeJS.ErrnoException);
    }
    try {
      return await work(whole);
    } finally {
      await unlock().catch(() => undefined);
    }
  }

  /** Returns what was written; a row that does not fit is refused at once. */
  async #writeAll(whole: string, batch: readonly Waiting[]): Promise<readonly Done[]> {
    const table = await this.#table(whole);
    const done: Done[] = [];
    const told: Promise<void>[] = [];
    for (const one of batch) {
      const { before, meant, onePer, row } = one.row;
      try {
        const there = meant && table.find(meant.row);
        if (there && there.count > meant.alike) {
          done.push({ one, written: { change: 'same', nth: there.nth } });
          continue;
        }
        table.check(row, onePer);
        if (before) told.push(before(table.find(row)?.count ?? 0));
        done.push({ one, written: table.put(row, onePer) });
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        one.reject(error);
      }
    }
    await Promise.all(told);
    if (done.some(({ written }) => written.change !== 'same')) {
      await replaceFile(whole, table.text());
      this.#known = { table, look: await lookOf(whole) };
    }
    return done;
  }

  async #table(whole: string): Promise<RowTable> {
    const look = await lookOf(whole);
    if (this.#known?.look === look) return this.#known.table;
    this.#known = undefined;
    let content = new Uint8Array();
    try {
      content = await readFile(whole);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT')
        throw notWritten(whole, error as NodeJS.ErrnoException);
    }
    const table = readTable(content, this.#shown);
    this.#known = { table, look };
    return table;
  }
}

/** What tells from outside whether somebody else has written a file. */
async function lookOf(whole: string): Promise<string> {
  try {
    const { ino, mtimeNs, size } = await stat(whole, { bigint: true });
    return `${ino} ${size} ${mtimeNs}`;
  } catch {
    return 'none';
  }
}

const files = new Map<string, RowFile>();

/** Writes a row into a file; `shown` is its path as written. Throws `row-not-fitting`, `file-not-written`. */
export function putRow(whole: string, shown: string, row: NewRow): Promise<WrittenRow> {
  let file = files.get(whole);
  if (!file) files.set(whole, (file = new RowFile(whole, shown)));
  return file.write(row);
}
