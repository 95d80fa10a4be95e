import { existsSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import type { openDescription } from '../io/description/open-description.ts';

type Open = typeof openDescription;

let open: Open | undefined;

/**
 * Loads what reads descriptions, where a project file above one of these folders or files speaks of some: most projects have none,
 * and reading a project can't wait for it.
 */
export async function prepareDescriptions(places: readonly string[]): Promise<void> {
  if (!open && places.some(speaksOfDescription)) await loadReader();
}

/** Loads it in any case. */
export async function loadReader(): Promise<Open> {
  return (open ??= (await import('../io/description/open-description.ts')).openDescription);
}

/** What reads descriptions, once it is loaded. */
export function descriptionReader(): Open {
  if (!open) throw new Error('the reader of descriptions was not loaded');
  return open;
}

function speaksOfDescription(place: string): boolean {
  try {
    const whole = resolve(place);
    for (let at = statSync(whole).isDirectory() ? whole : dirname(whole); ; at = dirname(at)) {
      const path = join(at, 'batharon.yaml');
      // Anywhere: keys may be in quotes, or come by an environment.
      if (existsSync(path)) return readFileSync(path, 'utf8').includes('description');
      if (dirname(at) === at) return false;
    }
  } catch {
    return false;
  }
}
