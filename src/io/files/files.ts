import { randomBytes } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, rename, rm, stat } from 'node:fs/promises';
import { dirname, isAbsolute, join, relative, resolve } from 'node:path';
import type { Files, FileSink, StreamedBody } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { leadsOut, readRegularFile } from '../secrets/own-folder.ts';
import { isAlive } from '../secrets/process.ts';
import { LocalSink, notWritten } from './local-sink.ts';

/** Why a path is not taken. */
export const LEADS_OUT = 'a link leads out of the folder in which it lies';

/** The files of the machine. */
export const localFiles: Files = {
  async open(path, near, { from, to } = { from: 0, to: Infinity }): Promise<StreamedBody> {
    const whole = resolve(dirname(near), path);
    let size: number;
    try {
      if (leadsOut(path, dirname(near))) throw new Error(LEADS_OUT);
      const found = await stat(whole);
      if (!found.isFile()) throw new Error('it is no file');
      size = found.size;
    } catch (error) {
      const reason =
        (error as NodeJS.ErrnoException).code === 'ENOENT'
          ? 'does not exist'
          : `can't be read: ${(error as Error).message}`;
      throw new ProblemError({
        code: 'file-not-found',
        message: `the file ${whole} ${reason}`,
        hint: 'a path begins at the folder of the chain file',
      });
    }
    if (from > size)
      throw new ProblemError({
        code: 'file-not-found',
        message: `the file ${whole} has ${size} bytes, and none from ${from} on`,
        hint: 'from: a smaller number',
      });
    const end = Math.max(from, Math.min(size, to));
    const options = end === from ? undefined : { start: from, end: end - 1 };
    return {
      size: end - from,
      chunks: () => (options ? createReadStream(whole, options) : []) as AsyncIterable<Uint8Array>,
    };
  },

  async create(path, near): Promise<FileSink> {
    const whole = resolve(dirname(near), path);
    const temporary = temporaryName(whole);
    const failing = async <T>(work: () => Promise<T>): Promise<T> => {
      try {
        return await work();
      } catch (error) {
        throw notWritten(whole, error as NodeJS.ErrnoException);
      }
    };
    const handle = await failing(async () => {
      if (leadsOut(dirname(path), dirname(near))) throw new Error(LEADS_OUT);
      await mkdir(dirname(whole), { recursive: true });
      await sweep(dirname(whole));
      return open(temporary, 'wx');
    });
    return new LocalSink(handle, temporary, whole, failing);
  },

  async resume(path, near, address) {
    const whole = resolve(dirname(near), path);
    if (leadsOut(dirname(path), dirname(near))) throw notWritten(whole, new Error(LEADS_OUT));
    const { resumableSink } = await import('./resumable.ts');
    return resumableSink(whole, address);
  },

  bytes: (path, near) => bytesBelow(path, resolve(dirname(near))),
};

/** A file that an expression reads takes no more, in bytes. */
const LARGEST_READ = 64 * 1024 * 1024;

/** The content of a file that stands below a folder. Throws `file-not-found`. */
export function bytesBelow(path: string, folder: string): Uint8Array {
  const whole = resolve(folder, path);
  try {
    if (relative(folder, whole).startsWith('..') || isAbsolute(path))
      throw new Error('it stands outside the folder');
    if (leadsOut(path, folder)) throw new Error(LEADS_OUT);
    return readRegularFile(whole, LARGEST_READ);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    throw new ProblemError({
      code: 'file-not-found',
      message: `the file ${path} ${code === 'ENOENT' ? 'does not exist' : `can't be read: ${message}`}`,
      hint: 'a file in the folder of the chain file, or below it',
    });
  }
}

/** Puts a text in the place of a file in one move, with the rights of that file. Throws `file-not-written`. */
export async function replaceFile(whole: string, content: string): Promise<void> {
  const temporary = temporaryName(whole);
  try {
    await sweep(dirname(whole));
    const { mode } = await stat(whole).catch(() => ({ mode: 0o666 }));
    const handle = await open(temporary, 'wx', mode & 0o777);
    try {
      await handle.writeFile(content);
      await handle.datasync();
    } finally {
      await handle.close();
    }
    await rename(temporary, whole);
  } catch (error) {
    await rm(temporary, { force: true }).catch(() => undefined);
    throw notWritten(whole, error as NodeJS.ErrnoException);
  }
}

/** A name of its own, so that two runs at once don't write into each other's file. */
function temporaryName(whole: string): string {
  return `${whole}.${process.pid}-${randomBytes(4).toString('hex')}.part`;
}

const swept = new Set<string>();

/** Takes away what processes have left that were killed while they wrote into a folder. */
async function sweep(folder: string): Promise<void> {
  if (swept.has(folder)) return;
  swept.add(folder);
  for (const name of await readdir(folder)) {
    const [, writer] = /\.(\d+)-[0-9a-f]{8}\.part$/.exec(name) ?? [];
    if (writer !== undefined && !isAlive(Number(writer))) await rm(join(folder, name), { force: true });
  }
}
