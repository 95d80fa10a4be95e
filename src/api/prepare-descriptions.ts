import { existsSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { readRegularFile } from '../io/secrets/own-folder.ts';

/** What is wrong with a larger one is said where it is read. */
const LARGEST_FILE = 16 * 1024 * 1024;

type Reader = typeof import('./description-tools.ts');

let reader: Reader | undefined;

/**
 * Loads what reads descriptions, where a project file above one of these folders or files speaks of some: most projects have none,
 * and reading a project can't wait for it.
 */
export async function prepareDescriptions(places: readonly string[]): Promise<void> {
  if (!reader && places.some(speaksOfDescription)) await loadReader();
}

/** Loads it in any case. */
export async function loadReader(): Promise<Reader> {
  return (reader ??= await import('./description-tools.ts'));
}

/** What reads descriptions, once it is loaded. */
export function descriptionReader(): Reader {
  if (!reader) throw new Error('the reader of descriptions was not loaded');
  return reader;
}

function speaksOfDescription(place: string): boolean {
  try {
    const whole = resolve(place);
    for (let at = statSync(whole).isDirectory() ? whole : dirname(whole); ; at = dirname(at)) {
      const path = join(at, 'batharon.yaml');
      // Anywhere: keys may be in quotes, or come by an environment.
      if (existsSync(path)) return readRegularFile(path, LARGEST_FILE).includes('description');
      if (dirname(at) === at) return false;
    }
  } catch {
    return false;
  }
}
