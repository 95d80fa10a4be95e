import {
  closeSync,
  constants,
  existsSync,
  fstatSync,
  lstatSync,
  mkdirSync,
  openSync,
  readFileSync,
  realpathSync,
  writeFileSync,
} from 'node:fs';
import { homedir } from 'node:os';
import { dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';

/** Where the program keeps what is its own, below the folder of a project. */
export const OWN_FOLDER = '.batharon';

/** The folder of this user's settings (XDG Base Directory Specification; on Windows APPDATA). */
export function configurationFolder(variables: NodeJS.ProcessEnv): string {
  const base =
    process.platform === 'win32' && variables.APPDATA
      ? variables.APPDATA
      : // An empty one counts as none, as the specification says.
        variables.XDG_CONFIG_HOME || join(variables.HOME ?? homedir(), '.config');
  return join(base, 'batharon');
}

/**
 * A folder for what the program keeps of its own, which no version control takes up. Throws where a link stands in its place: that could
 * lead anywhere.
 */
export function makeOwnFolder(folder: string): void {
  makeRealFolder(folder);
  const ignore = join(folder, '.gitignore');
  if (!existsSync(ignore)) writeFileSync(ignore, '*\n', { flag: 'wx' });
}

/** Makes a folder, unless it is there; throws where something else stands in its place. True where it was made. */
export function makeRealFolder(folder: string): boolean {
  const found = lstatSync(folder, { throwIfNoEntry: false });
  if (!found) {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    return true;
  }
  if (found.isSymbolicLink()) throw new Error(`${folder} is a link, and what is behind it is left alone`);
  if (!found.isDirectory())
    throw Object.assign(new Error(`${folder} is no folder`), { code: 'ENOTDIR', path: folder });
  return false;
}

/** Whether a folder is there, and is no link. */
export function isRealFolder(folder: string): boolean {
  return lstatSync(folder, { throwIfNoEntry: false })?.isDirectory() ?? false;
}

/**
 * Reads a file that is a file: no pipe that never ends, no device, nothing larger than `most` bytes. `links` says that it may be reached through
 * a link. Throws as the system does, or with what it is.
 */
export function readRegularFile(path: string, most: number, links = true): Buffer {
  // Without waiting for a writer, should it be a pipe.
  const flags = constants.O_RDONLY | constants.O_NONBLOCK | (links ? 0 : constants.O_NOFOLLOW);
  const file = openSync(path, flags);
  try {
    const found = fstatSync(file);
    if (found.isDirectory()) throw Object.assign(new Error('it is a folder'), { code: 'EISDIR' });
    if (!found.isFile()) throw new Error('it is no file, but a pipe or a device');
    if (found.size > most) throw new Error(`it is larger than ${Math.round(most / 1024 / 1024)} MiB`);
    return readFileSync(file);
  } finally {
    closeSync(file);
  }
}

/**
 * Whether a path that is written as one below a folder leads out of it, by way of a link. A path that is written as leading elsewhere (absolute, or
 * with `..`) is meant so.
 */
export function leadsOut(path: string, folder: string): boolean {
  if (isAbsolute(path) || path.split(/[/\\]/).includes('..')) return false;
  try {
    const base = realpathSync(folder);
    let at = resolve(folder, path);
    // What is not there yet lies in the nearest folder above it that is.
    while (!existsSync(at) && dirname(at) !== at) at = dirname(at);
    const inside = relative(base, realpathSync(at));
    return inside === '..' || inside.startsWith(`..${sep}`) || isAbsolute(inside);
  } catch {
    return true;
  }
}

/** After this long the lock of a process that was killed is broken, in milliseconds. */
const STALE = 5000;

/** Does something while no other process does the same; `path` is the file that the lock stands for. */
export async function whileLocked<T>(path: string, work: () => T | Promise<T>): Promise<T> {
  const { default: lockfile } = await import('proper-lockfile');
  const unlock = await lockfile
    .lock(path, {
      lockfilePath: `${path}.lock`,
      stale: STALE,
      realpath: false,
      retries: { retries: 600, minTimeout: 5, maxTimeout: 100, factor: 1.2 },
    })
    .catch((error: unknown) => {
      if ((error as NodeJS.ErrnoException).code !== 'ELOCKED') throw error;
      throw new Error(`another process has had ${path}.lock for a minute`);
    });
  try {
    return await work();
  } finally {
    await unlock().catch(() => undefined);
  }
}
