import { createHmac, hash, randomInt } from 'node:crypto';
import type { DigestAlgorithm } from '../core/language/environment.ts';
import type { Chance, Clock, Digests } from '../core/ports.ts';

/** The machine's clock and timers. */
export const systemClock: Clock = {
  now: () => Date.now(),
  elapsed: () => performance.now(),
  timer(milliseconds, callback) {
    // setTimeout counts in 31 bits, about 24 days; a longer wait takes several.
    const longest = 2 ** 31 - 1;
    let timeout = setTimeout(next, Math.min(milliseconds, longest));
    let left = milliseconds - longest;
    function next(): void {
      if (left <= 0) return callback();
      timeout = setTimeout(next, Math.min(left, longest));
      left -= longest;
    }
    return () => clearTimeout(timeout);
  },
};

/** Random numbers that nobody can guess. */
export const systemChance: Chance = {
  next: () => randomInt(2 ** 47) / 2 ** 47,
};

const NODE_NAMES: Readonly<Record<DigestAlgorithm, string>> = {
  'sha-256': 'sha256',
  'sha-384': 'sha384',
  'sha-512': 'sha512',
  sha: 'sha1',
  md5: 'md5',
};

export const nodeDigests: Digests = {
  identify: (data) => hash('sha256', data),
  digest: (algorithm, data) => hash(NODE_NAMES[algorithm], data, 'buffer'),
  hmac: (algorithm, key, data) => createHmac(NODE_NAMES[algorithm], key).update(data).digest(),
};
