import { type FileHandle, rename, rm } from 'node:fs/promises';
import type { FileSink } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';

/** How much is gathered before it is written, in bytes. */
const GATHERED = 512 * 1024;

/** A file that is written under a temporary name. */
export class LocalSink implements FileSink {
  readonly #handle: FileHandle;
  readonly #temporary: string;
  readonly #whole: string;
  readonly #failing: <T>(work: () => Promise<T>) => Promise<T>;
  #open = true;
  #gathered: Uint8Array[] = [];
  #size = 0;
  #writing: Promise<void> = Promise.resolve();

  constructor(
    handle: FileHandle,
    temporary: string,
    whole: string,
    failing: <T>(work: () => Promise<T>) => Promise<T>,
  ) {
    this.#handle = handle;
    this.#temporary = temporary;
    this.#whole = whole;
    this.#failing = failing;
  }

  async write(chunk: Uint8Array): Promise<void> {
    this.#gathered.push(chunk);
    this.#size += chunk.length;
    if (this.#size < GATHERED) return;
    // While one part is written the next one is gathered.
    await this.#writing;
    this.#writing = this.#flush();
    this.#writing.catch(() => undefined); // it is awaited with the next part
  }

  async #flush(): Promise<void> {
    const chunks = this.#gathered;
    const size = this.#size;
    this.#gathered = [];
    this.#size = 0;
    if (size === 0) return;
    await this.#failing(async () => {
      const { bytesWritten } = await this.#handle.writev(chunks);
      if (bytesWritten === size) return;
      // One call may write less than it is given.
      const rest = Buffer.concat(chunks).subarray(bytesWritten);
      for (let at = 0; at < rest.length;) at += (await this.#handle.write(rest, at)).bytesWritten;
    });
  }

  async #close(): Promise<void> {
    if (!this.#open) return;
    this.#open = false;
    await this.#handle.close();
  }

  /** Writes what was gathered, and closes the file. */
  async close(): Promise<void> {
    await this.#writing;
    await this.#flush();
    await this.#failing(() => this.#close());
  }

  async commit(): Promise<void> {
    await this.#writing;
    await this.#flush();
    await this.#failing(async () => {
      await this.#close();
      await rename(this.#temporary, this.#whole);
    });
  }

  async discard(): Promise<void> {
    try {
      await this.#writing.catch(() => undefined);
      await this.#close();
      await rm(this.#temporary, { force: true });
    } catch {
      // a temporary file that can't be taken away is no reason to fail for
    }
  }
}

/** Why a file can't be written. */
export function notWritten(path: string, error: NodeJS.ErrnoException): ProblemError {
  const why: Readonly<Record<string, string>> = {
    ENOSPC: 'no space is left on the device',
    EACCES: 'this user may not write there',
    EROFS: 'the file system is read-only',
    EISDIR: 'a folder has this name',
    ENOTDIR: 'a part of the path is a file',
    EEXIST: 'a part of the path is a file',
    ENAMETOOLONG: 'the name is too long',
  };
  return new ProblemError({
    code: 'file-not-written',
    message: `the file ${path} can't be written: ${why[error.code ?? ''] ?? error.message}`,
  });
}
