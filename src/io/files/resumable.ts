import { randomBytes } from 'node:crypto';
import { lstat, mkdir, open, readdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import type { ResumableSink } from '../../core/ports.ts';
import { isAlive } from '../secrets/process.ts';
import { LocalSink, notWritten } from './local-sink.ts';

/** What is known of an unfinished download, beside it. */
interface Known {
  readonly address: string;
  readonly validator: string;
}

/**
 * Begins a download that a later one may go on with. What is unfinished stands beside the file under the id of the process that
 * writes it, or under 0 where that has given up; whoever goes on takes it by renaming it, so that only one does. `address` tells
 * what is downloaded. Throws `file-not-written`.
 */
export async function resumableSink(whole: string, address: string): Promise<ResumableSink> {
  const failing = async <T>(work: () => Promise<T>): Promise<T> => {
    try {
      return await work();
    } catch (error) {
      throw notWritten(whole, error as NodeJS.ErrnoException);
    }
  };
  const own = `${whole}.${process.pid}-${randomBytes(4).toString('hex')}.unfinished`;
  const left = await failing(async () => {
    await mkdir(dirname(whole), { recursive: true });
    return adopt(whole, own, address);
  });
  let sink: LocalSink | undefined;
  const forget = async (): Promise<void> => {
    await rm(own, { force: true }).catch(() => undefined);
    await rm(`${own}.json`, { force: true }).catch(() => undefined);
  };
  const begun = (): LocalSink => {
    if (!sink) throw new Error('a download was written before it began');
    return sink;
  };
  return {
    left,
    begin: (goesOn, validator) =>
      failing(async () => {
        const handle = await open(own, goesOn ? 'a' : 'w');
        sink = new LocalSink(handle, own, whole, failing);
        if (goesOn) return;
        if (validator === undefined) await rm(`${own}.json`, { force: true });
        else await writeFile(`${own}.json`, JSON.stringify({ address, validator } satisfies Known));
      }),
    write: (chunk) => begun().write(chunk),
    commit: async () => {
      await begun().commit();
      await rm(`${own}.json`, { force: true }).catch(() => undefined);
    },
    discard: async () => {
      await sink?.discard();
      await forget();
    },
    keep: async () => {
      try {
        await sink?.close();
        const given = own.replace(/\.\d+-([0-9a-f]{8}\.unfinished)$/, '.0-$1');
        await rename(`${own}.json`, `${given}.json`);
        await rename(own, given);
      } catch {
        // Without what tells whether it still is the same file it is of no use.
        await forget();
      }
    },
  };
}

/** Whether it can stand in a header: an entity tag or a date. */
function isValidator(text: unknown): text is string {
  return typeof text === 'string' && /^[\x20-\x7e]{1,1000}$/.test(text);
}

/** Takes over what a process has left that is not there any more; what is of another address is taken away. */
async function adopt(
  whole: string,
  own: string,
  address: string,
): Promise<{ readonly size: number; readonly validator: string } | undefined> {
  const folder = dirname(whole);
  const name = basename(whole);
  for (const file of await readdir(folder)) {
    const [, base, writer] = /^(.*)\.(\d+)-[0-9a-f]{8}\.unfinished$/.exec(file) ?? [];
    if (base !== name || (writer !== '0' && isAlive(Number(writer)))) continue;
    const path = join(folder, file);
    try {
      await rename(path, own);
    } catch {
      continue; // another process was faster
    }
    try {
      const known = JSON.parse(await readFile(`${path}.json`, 'utf8')) as Partial<Known>;
      const found = await lstat(own);
      // What somebody else has laid there may be a link that leads to another file.
      const isOwn = found.isFile() && found.nlink === 1;
      const { size } = found;
      if (isOwn && known.address === address && isValidator(known.validator) && size > 0) {
        await rename(`${path}.json`, `${own}.json`);
        return { size, validator: known.validator };
      }
    } catch {
      // What tells nothing of itself is begun anew.
    }
    await rm(own, { force: true });
    await rm(`${path}.json`, { force: true });
  }
  return undefined;
}
