import { dirname, isAbsolute, relative, resolve } from 'node:path';
import type { RowOrder } from '../core/engine/spread.ts';
import type { FileSink, WrittenRow } from '../core/ports.ts';
import { fail } from '../core/problems.ts';
import { localFiles } from '../io/files/files.ts';
import { OWN_FOLDER } from '../io/secrets/own-folder.ts';
import type { DeskRequest } from '../io/team/team-work.ts';

/** So much of a file goes at a time, in bytes. */
export const CHUNK_OF_FILE = 1024 * 1024;

/** Does for workers what only the machine can that has the run: files and rows of one job. Nothing leads out of the project. */
export class WorkDesk {
  readonly #folder: string;
  readonly #write: (order: RowOrder) => Promise<WrittenRow>;
  readonly #sinks = new Map<string, FileSink>();
  /** What comes of one file comes in order. */
  #turn: Promise<unknown> = Promise.resolve();

  constructor(folder: string, write: (order: RowOrder) => Promise<WrittenRow>) {
    this.#folder = folder;
    this.#write = write;
  }

  answer(asked: DeskRequest): Promise<unknown> {
    const turn = this.#turn.then(() => this.#answer(asked));
    this.#turn = turn.catch(() => undefined);
    return turn;
  }

  async #answer({ what, with: given }: DeskRequest): Promise<unknown> {
    const of = (name: string): string => String(given[name]);
    switch (what) {
      case 'row': {
        const order = given as unknown as RowOrder;
        const near = resolve(this.#folder, order.near);
        this.#inside(order.path, near);
        return this.#write({ ...order, near });
      }
      case 'create': {
        const near = resolve(this.#folder, of('near'));
        this.#inside(of('path'), near);
        this.#sinks.set(of('file'), await localFiles.create(of('path'), near));
        return true;
      }
      case 'chunk':
        await this.#sinks.get(of('file'))?.write(Buffer.from(of('data'), 'base64'));
        return true;
      case 'commit':
        await this.#sinks.get(of('file'))?.commit();
        this.#sinks.delete(of('file'));
        return true;
      case 'discard':
        await this.#sinks.get(of('file'))?.discard();
        this.#sinks.delete(of('file'));
        return true;
      case 'read':
        return this.#read(of('path'), of('near'), Number(given.from), Number(given.to));
    }
  }

  /** Throws `file-not-written` where a path leads out of the project. */
  #inside(path: string, near: string): void {
    const within = relative(this.#folder, resolve(dirname(near), path));
    if (
      within === '' ||
      within.startsWith('..') ||
      isAbsolute(within) ||
      within.split(/[/\\]/)[0] === OWN_FOLDER
    )
      fail('file-not-written', `a worker may write only below the folder of the project, not ${path}`, {
        hint: 'a path inside of it, or shared-folder: under team',
      });
  }

  async #read(path: string, near: string, from: number, to: number): Promise<{ size: number; data: string }> {
    const beside = resolve(this.#folder, near);
    const within = relative(this.#folder, resolve(dirname(beside), path));
    if (within.startsWith('..') || isAbsolute(within) || within.split(/[/\\]/)[0] === OWN_FOLDER)
      fail(
        'file-not-found',
        `the file ${path} lies outside of the folder of the project, so workers don't get it`,
      );
    const { size } = await localFiles.open(path, beside);
    const part = await localFiles.open(path, beside, {
      from: Math.min(from, size),
      to: Math.min(to, from + CHUNK_OF_FILE),
    });
    const chunks: Uint8Array[] = [];
    for await (const chunk of part.chunks()) chunks.push(chunk);
    return { size, data: Buffer.concat(chunks).toString('base64') };
  }

  /** What was begun and not ended is taken away. */
  async close(): Promise<void> {
    await this.#turn;
    for (const sink of this.#sinks.values()) await sink.discard().catch(() => undefined);
    this.#sinks.clear();
  }
}
