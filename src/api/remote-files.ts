import { randomBytes } from 'node:crypto';
import { dirname, isAbsolute, relative, resolve, sep } from 'node:path';
import type { Files, FileSink, StreamedBody } from '../core/ports.ts';
import { ProblemError } from '../core/problems.ts';
import { localFiles } from '../io/files/files.ts';
import type { WorkSession } from '../io/team/work-session.ts';
import { CHUNK_OF_FILE } from './work-desk.ts';

/** Files of a run that another machine has: what is saved goes there, and what is not here is read from there. */
export function remoteFiles(
  session: WorkSession,
  {
    folder,
    sharedFolder,
    signal,
  }: { readonly folder: string; readonly sharedFolder: string | undefined; readonly signal: AbortSignal },
): Files {
  const placed = (path: string): string => relative(folder, resolve(path)).split(sep).join('/');
  const isShared = (path: string, near: string): boolean => {
    if (sharedFolder === undefined) return false;
    const within = relative(sharedFolder, resolve(dirname(near), path));
    return within !== '' && !within.startsWith('..') && !isAbsolute(within);
  };
  return {
    async open(path, near, range) {
      try {
        return await localFiles.open(path, near, range);
      } catch (error) {
        if (!(error instanceof ProblemError) || !/does not exist/.test(error.message)) throw error;
        return remoteBody(session, { path, near: placed(near), signal, range });
      }
    },
    create: async (path, near) => {
      if (isShared(path, near)) return localFiles.create(path, near);
      const file = randomBytes(8).toString('hex');
      const ask = (what: 'create' | 'chunk' | 'commit' | 'discard', more: Record<string, unknown> = {}) =>
        session.ask(what, { file, ...more }, { signal });
      await ask('create', { path, near: placed(near) });
      // Each part costs a way there and back, so that small ones wait for others.
      let gathered: Uint8Array[] = [];
      let size = 0;
      const send = async (): Promise<void> => {
        const all = Buffer.concat(gathered);
        gathered = [];
        size = 0;
        for (let at = 0; at < all.length; at += CHUNK_OF_FILE)
          await ask('chunk', { data: all.subarray(at, at + CHUNK_OF_FILE).toString('base64') });
      };
      return {
        write: async (chunk) => {
          gathered.push(chunk);
          size += chunk.length;
          if (size >= CHUNK_OF_FILE) await send();
        },
        commit: async () => {
          await send();
          await ask('commit');
        },
        discard: async () => {
          await ask('discard');
        },
      } satisfies FileSink;
    },
    bytes: (path, near) => localFiles.bytes!(path, near),
  };
}

interface Wanted {
  readonly path: string;
  readonly near: string;
  readonly signal: AbortSignal;
  readonly range: { readonly from: number; readonly to: number } | undefined;
}

/** A file of the other machine, read part by part. */
async function remoteBody(
  session: WorkSession,
  { path, near, signal, range }: Wanted,
): Promise<StreamedBody> {
  const read = async (from: number, to: number): Promise<{ size: number; data: string }> =>
    (await session.ask('read', { path, near, from, to }, { signal })) as { size: number; data: string };
  const { size } = await read(0, 0);
  const from = Math.min(range?.from ?? 0, size);
  const to = Math.max(from, Math.min(range?.to ?? size, size));
  return {
    size: to - from,
    async *chunks() {
      for (let at = from; at < to; at += CHUNK_OF_FILE)
        yield Buffer.from((await read(at, Math.min(to, at + CHUNK_OF_FILE))).data, 'base64');
    },
  };
}
