import type { World } from '../core/language/environment.ts';
import { bytesBelow } from '../io/files/files.ts';
import { nodeDigests, systemChance, systemClock } from '../io/world.ts';

/** What an expression may ask this machine for; `text` is the expression, as XPath is loaded only for one that uses it. */
export async function worldFor(text: string, zone: string): Promise<World> {
  return {
    now: () => systemClock.now(),
    chance: () => systemChance.next(),
    digest: (algorithm, data) => nodeDigests.digest(algorithm, data),
    hmac: (algorithm, key, data) => nodeDigests.hmac(algorithm, key, data),
    ...(text.includes('xpath') ? { xpath: (await import('../io/files/xpath.ts')).xpath } : {}),
    file: (path) => bytesBelow(path, process.cwd()),
    zone,
  };
}
