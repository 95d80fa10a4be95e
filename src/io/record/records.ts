import {
  cpSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmdirSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { nameList } from '../../core/language/nearest.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import {
  isRealFolder,
  makeOwnFolder,
  makeRealFolder,
  OWN_FOLDER,
  readRegularFile,
} from '../secrets/own-folder.ts';
import { reasonOf } from '../reason.ts';
import { isAlive } from '../secrets/process.ts';
import { BODIES, EVENTS, INCOMPLETE, LONG, OUTLINE, PROCESS, SUMMARY } from './layout.ts';
import { Outline } from './outline.ts';
import { type ReadEvents, readEvents } from './read-events.ts';
import { RecordWriter } from './record-writer.ts';
import { type RunSummary, Summing } from './summary.ts';

/** How many runs are kept, and how much they may take together, in bytes. */
export interface Keeping {
  readonly runs: number;
  readonly size: number;
}

export const DEFAULT_KEEPING: Keeping = { runs: 50, size: 500_000_000 };

/** A process that has not said for so long that it is alive is not, in milliseconds. */
const SILENT = 45_000;

/** A run whose record can't be read, and why. */
export interface UnreadableRun {
  readonly run: string;
  readonly unreadable: string;
}

/** The records of a project's runs, each in a folder of its own below `.batharon/runs`. */
export class Records {
  readonly #own: string;
  readonly #folder: string;
  readonly #keeping: Keeping;

  /** `folder` is that of the project file. */
  constructor(folder: string, keeping: Keeping = DEFAULT_KEEPING) {
    this.#own = join(folder, OWN_FOLDER);
    this.#folder = join(this.#own, 'runs');
    this.#keeping = keeping;
  }

  folderOf(id: string): string {
    return join(this.#folder, id);
  }

  // ---- writing

  /** Begins the record of a run; its id comes after those of all earlier runs. `warn` is told why it can't be written. */
  begin(warn: (why: string) => void): { readonly id: string; readonly writer: RecordWriter } {
    let id = newId();
    try {
      makeOwnFolder(this.#own);
      // Only what lies in a folder of the program's own is ever taken away again.
      if (makeRealFolder(this.#folder) || this.#names().every((name) => NAME.test(name)))
        writeFileSync(join(this.#own, MARKER), '');
      id = this.#idAfterAll();
      // Another run may begin at the same moment.
      for (; ; id = nextId(id)) {
        try {
          mkdirSync(this.folderOf(id));
          break;
        } catch (error) {
          if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
        }
      }
    } catch (error) {
      warn(reasonOf(error as Error));
      return { id, writer: new RecordWriter(this.folderOf(id), () => undefined, undefined, false) };
    }
    return { id, writer: new RecordWriter(this.folderOf(id), warn) };
  }

  /** Begins the record of a run that goes on from all that another one has told and kept. */
  async copy(from: string, warn: (why: string) => void): Promise<string> {
    const { events } = this.events(from);
    const { id, writer } = this.begin(warn);
    for (const event of events) writer.take('run' in event ? { ...event, run: id } : event);
    const bodies = join(this.folderOf(from), BODIES);
    if (existsSync(bodies)) cpSync(bodies, join(this.folderOf(id), BODIES), { recursive: true });
    await writer.close();
    return id;
  }

  /** Makes a record for a run that another machine has begun, unless there is one. */
  adopt(id: string, warn: (why: string) => void): RecordWriter {
    if (!NAME.test(id)) fail('no-record', `${id} is not the id of a run`);
    makeOwnFolder(this.#own);
    if (makeRealFolder(this.#folder)) writeFileSync(join(this.#own, MARKER), '');
    makeRealFolder(this.folderOf(id));
    return new RecordWriter(this.folderOf(id), warn);
  }

  /** Goes on with the record of a run. Throws `cannot-resume` while a process still writes it. */
  reopen(id: string, warn: (why: string) => void): RecordWriter {
    const running = this.isRunning(id);
    if (running !== undefined)
      fail('cannot-resume', `the run ${id} still goes on, in process ${running}`, {
        hint: `once it has ended; where that process is another one, take away ${join(this.folderOf(id), PROCESS)}`,
      });
    const path = join(this.folderOf(id), EVENTS);
    const { events, spans, whole } = readEvents(path);
    truncateSync(path, whole);
    const summary = new Summing();
    const outline = new Outline();
    for (const [i, event] of events.entries()) {
      summary.take(event);
      outline.take(event, spans[i]!);
    }
    // They tell of the run as it was.
    for (const name of [SUMMARY, OUTLINE]) rmSync(join(this.folderOf(id), name), { force: true });
    return new RecordWriter(this.folderOf(id), warn, { summary, outline, size: whole });
  }

  /** The record could not be written to the end of its run. */
  isIncomplete(id: string): boolean {
    return existsSync(join(this.folderOf(id), INCOMPLETE));
  }

  /** The id of the process that writes the record of a run; undefined if none does. */
  isRunning(id: string): number | undefined {
    const folder = this.folderOf(id);
    if (existsSync(join(folder, SUMMARY))) return undefined;
    try {
      const path = join(folder, PROCESS);
      const process_ = Number(readFileSync(path, 'utf8'));
      if (process_ === process.pid || Date.now() - statSync(path).mtimeMs > SILENT) return undefined;
      return isAlive(process_) ? process_ : undefined;
    } catch {
      return undefined;
    }
  }

  /** Takes away the oldest runs, beyond those that are to be kept; `ended` is the one that has just been written. */
  prune(ended: RunSummary | undefined): void {
    try {
      const ids = this.ids();
      const { runs, size } = this.#keeping;
      this.#sweep();
      if (ids.length <= runs && (ended?.size ?? 0) < size / (10 * runs)) return;
      let sum = 0;
      ids.forEach((id, i) => {
        sum += this.#sizeOf(id);
        const surplus = i >= runs || sum > size;
        if (surplus && i > 0 && id !== ended?.run && this.isRunning(id) === undefined) this.#remove(id);
      });
    } catch {
      // what can't be taken away stays
    }
  }

  /** Takes away what is left of runs that were interrupted long ago, before they had told anything. */
  #sweep(): void {
    for (const name of this.#names())
      if (
        NAME.test(name) &&
        !this.#hasBegun(name) &&
        Date.now() - lstatSync(this.folderOf(name)).mtimeMs > 24 * 3_600_000
      )
        this.#remove(name);
  }

  /**
   * Takes a record away, file by file: only out of a real folder that this program made, and only where all that lies in it is a
   * record's. Through a link nothing is taken away.
   */
  #remove(id: string): void {
    const folder = this.folderOf(id);
    const isOurs =
      isRealFolder(this.#own) &&
      isRealFolder(this.#folder) &&
      lstatSync(join(this.#own, MARKER), { throwIfNoEntry: false })?.isFile() === true &&
      NAME.test(id) &&
      isRealFolder(folder);
    if (!isOurs) return;
    const bodies = join(folder, BODIES);
    const hasBodies = isRealFolder(bodies);
    const files = readdirSync(folder, { withFileTypes: true }).filter(({ name }) => name !== BODIES);
    const kept = hasBodies ? readdirSync(bodies, { withFileTypes: true }) : [];
    const isRecord =
      files.every((entry) => entry.isFile() && FILES.has(entry.name)) &&
      kept.every((entry) => entry.isFile() && BODY.test(entry.name));
    if (!isRecord) return;
    for (const { name } of kept) rmSync(join(bodies, name), { force: true });
    if (hasBodies) rmdirSync(bodies);
    // The events go last: as long as they are there, this is a run.
    for (const { name } of files.sort((a, b) => Number(a.name === EVENTS) - Number(b.name === EVENTS)))
      rmSync(join(folder, name), { force: true });
    rmdirSync(folder);
  }

  #names(): string[] {
    return readdirSync(this.#folder);
  }

  /** An id behind those of all runs, also where the clock was set back. */
  #idAfterAll(): string {
    const latest = this.#names()
      .filter((name) => NAME.test(name))
      .sort(byId)
      .at(-1);
    const now = newId();
    return latest === undefined || byId(latest, now) < 0 ? now : nextId(latest);
  }

  #sizeOf(id: string): number {
    const summary = this.#summary(id);
    if (summary) return summary.size;
    return readdirSync(this.folderOf(id), { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .reduce((sum, { name, parentPath }) => sum + statSync(join(parentPath, name)).size, 0);
  }

  // ---- reading

  /** The ids of all runs, the latest first; without those that were interrupted before they had told anything. */
  ids(): string[] {
    if (!existsSync(this.#folder)) return [];
    return this.#names()
      .filter((name) => NAME.test(name) && this.#hasBegun(name))
      .sort((a, b) => byId(b, a));
  }

  /** Whether something of a run is recorded. */
  has(id: string): boolean {
    return this.#hasBegun(id);
  }

  #hasBegun(id: string): boolean {
    const found = lstatSync(join(this.folderOf(id), EVENTS), { throwIfNoEntry: false });
    return found?.isFile() === true && found.size > 0;
  }

  /** What each run came to, the latest first. */
  *list(): Generator<RunSummary | UnreadableRun> {
    for (const id of this.ids()) {
      const summary = this.#summary(id) ?? this.#summed(id);
      if (summary) yield summary;
    }
  }

  /** The summary that was written at the end of a run. */
  #summary(id: string): RunSummary | undefined {
    try {
      const path = join(this.folderOf(id), SUMMARY);
      const read = JSON.parse(readRegularFile(path, LARGEST_SUMMARY, false).toString('utf8')) as RunSummary;
      return (read.version as number) === 2 && read.run === id ? read : undefined;
    } catch {
      return undefined;
    }
  }

  /** The summary of a run that has none: it was interrupted, or goes on. */
  #summed(id: string): RunSummary | UnreadableRun | undefined {
    const path = join(this.folderOf(id), EVENTS);
    if (!existsSync(path)) return undefined;
    try {
      const { events, garbled, whole } = readEvents(path);
      const summing = new Summing();
      for (const event of events) summing.take(event);
      const summary = summing.summary(whole);
      if (summary) return summary;
      return garbled.length > 0 ? { run: id, unreadable: 'its first line is no event' } : undefined;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return { run: id, unreadable: error.message };
    }
  }

  /** The ids of runs, the latest first, without those of `batharon watch`. */
  latest(): string[] {
    return this.ids().filter((id) => {
      const summary = this.#summary(id) ?? this.#summed(id);
      return !summary || !('watch' in summary);
    });
  }

  /** The id of a run: `last`, an id, or the start of one. Throws `no-record`. */
  find(wanted: string): string {
    const ids = this.ids();
    if (ids.length === 0)
      fail('no-record', 'no run is recorded here yet', { hint: 'batharon run, or batharon send' });
    if (wanted === 'last' || wanted === '') return this.latest()[0] ?? ids[0]!;
    const found = ids.filter((id) => id.startsWith(wanted));
    if (found.includes(wanted)) return wanted;
    if (found.length === 1) return found[0]!;
    if (found.length > 1)
      fail('no-record', `${found.length} runs begin with ${wanted}: ${nameList(found)}`, {
        hint: 'the whole id',
      });
    return fail('no-record', `no run ${wanted} is recorded`, {
      hint: `the last are ${ids.slice(0, 5).join(', ')}`,
    });
  }

  /** The events of a run, or those of wanted steps. Throws `record-unreadable`. */
  events(id: string, wanted?: (address: string) => boolean): ReadEvents {
    return readEvents(join(this.folderOf(id), EVENTS), wanted);
  }

  /**
   * The events of a run; of one that has many, where it has ended, those of its outline: of the iterations of its loops only the
   * slowest and the broken ones. Of one that was interrupted nothing that stands in iterations. Throws `record-unreadable`.
   */
  outline(id: string): ReadEvents {
    if (statSync(join(this.folderOf(id), EVENTS)).size <= LONG) return this.events(id);
    const path = join(this.folderOf(id), OUTLINE);
    return existsSync(path) && this.#summary(id)
      ? readEvents(path)
      : this.events(id, (address) => !address.includes('['));
  }

  /** A body of a run by its digest, masked; undefined if it was not kept. */
  body(id: string, digest: string): Buffer | undefined {
    // A record may come from elsewhere: what is no digest could be the path of any file.
    if (!/^[0-9a-f]{64}$/.test(digest)) return undefined;
    const path = join(this.folderOf(id), BODIES, digest);
    try {
      if (existsSync(path)) return readRegularFile(path, LARGEST_BODY, false);
      if (!existsSync(`${path}.gz`)) return undefined;
      return gunzipSync(readRegularFile(`${path}.gz`, LARGEST_BODY, false), {
        maxOutputLength: LARGEST_BODY,
      });
    } catch {
      return undefined;
    }
  }
}

/** The name of a run's folder. */
const NAME = /^[0-9a-z]{6,8}$/;

/** Stands beside a folder of records that the program made. */
const MARKER = '.made-by-batharon';

/** What a record consists of besides bodies, and how a body is called. */
const FILES: ReadonlySet<string> = new Set([EVENTS, INCOMPLETE, SUMMARY, `${SUMMARY}.new`, OUTLINE, PROCESS]);
const BODY = /^[0-9a-f]{64}(?:\.gz)?$/;

/** How large a kept body and a summary may be, in bytes. */
const LARGEST_BODY = 256 * 1024 * 1024;
const LARGEST_SUMMARY = 16 * 1024 * 1024;

/** Earlier runs first. */
function byId(a: string, b: string): number {
  return a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);
}

const EPOCH = Date.UTC(2026, 0, 1);

/** A short id; later runs have later ids. */
export function newId(): string {
  return Math.max(0, Math.floor((Date.now() - EPOCH) / 100))
    .toString(36)
    .padStart(6, '0');
}

function nextId(id: string): string {
  return (parseInt(id, 36) + 1).toString(36).padStart(6, '0');
}
