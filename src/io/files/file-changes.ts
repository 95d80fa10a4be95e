import { readFileSync, statSync } from 'node:fs';

/** How often files are looked at, in milliseconds: unlike notices of the system this works on every file system. */
const BETWEEN_LOOKS = 150;

/** A file as it was read. */
export interface ReadBytes {
  readonly path: string;
  /** Nothing where it could not be read. */
  readonly text: string | undefined;
}

/**
 * Waits until one of the files holds another text than the one that was read. Returns the paths of those that do; none where
 * the signal ended it. A file that is gone for a moment, as while an editor replaces it, is waited for.
 */
export async function untilChanged(files: readonly ReadBytes[], signal: AbortSignal): Promise<string[]> {
  const looks = new Map<string, string>();
  while (!signal.aborted) {
    const changed = files.filter(({ path, text }) => {
      const look = lookOf(path);
      if (look === undefined || looks.get(path) === look) return false;
      looks.set(path, look);
      const now = readNow(path);
      // An editor that empties a file before it writes it is not done yet.
      return now !== undefined && now !== text && (now !== '' || text === undefined);
    });
    if (changed.length > 0) return changed.map(({ path }) => path);
    await new Promise<void>((resolve) => {
      const timer = setTimeout(done, BETWEEN_LOOKS);
      signal.addEventListener('abort', done, { once: true });
      function done(): void {
        clearTimeout(timer);
        signal.removeEventListener('abort', done);
        resolve();
      }
    });
  }
  return [];
}

function lookOf(path: string): string | undefined {
  const stats = statSync(path, { bigint: true, throwIfNoEntry: false });
  return stats && `${stats.ino} ${stats.size} ${stats.mtimeNs}`;
}

/** The text of a file; undefined if it can't be read. */
export function readNow(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
}
