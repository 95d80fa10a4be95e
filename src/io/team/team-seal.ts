import { createCipheriv, createDecipheriv, createHmac, hkdfSync, randomBytes, scryptSync } from 'node:crypto';
import type { Sealer } from '../../core/ports.ts';
import { fail } from '../../core/problems.ts';

const ALGORITHM = 'aes-256-gcm';
const NONCE = 12;
const TAG = 16;
/** A key that is shorter can be guessed. */
const SHORTEST_KEY = 16;

/** Seals what machines share with the key of their team (AES-256-GCM, NIST SP 800-38D). */
export class TeamSeal implements Sealer {
  readonly #key: Buffer;
  /** What the names of the team begin with: machines with other keys share nothing. */
  readonly prefix: string;

  /** Throws `secret-missing` where the key of the team is too short to keep anything. */
  constructor(key: string) {
    if (key.length < SHORTEST_KEY)
      fail(
        'secret-missing',
        `the key of the team has ${key.length} characters, and needs at least ${SHORTEST_KEY}`,
        { hint: 'openssl rand -base64 32 makes one' },
      );
    const master = scryptSync(key, 'batharon team', 32, { N: 2 ** 14 });
    this.#key = Buffer.from(hkdfSync('sha256', master, '', 'seal', 32));
    const name = createHmac('sha256', Buffer.from(hkdfSync('sha256', master, '', 'name', 32))).update('team');
    this.prefix = `batharon:${name.digest('hex').slice(0, 12)}:`;
  }

  /** What a text is called where it may not be read: the same for the same text. */
  digest(text: string): string {
    return createHmac('sha256', this.#key).update(text).digest('hex').slice(0, 32);
  }

  seal(text: string): string {
    return this.sealed(Buffer.from(text), 'value').toString('base64');
  }

  /** The text of what was sealed as a value; undefined if it can't be opened. */
  open(sealed: string): string | undefined {
    return this.opened(Buffer.from(sealed, 'base64'), 'value')?.toString('utf8');
  }

  /** `purpose` is bound to the data, so that what was sealed for one thing can't stand for another. */
  sealed(data: Uint8Array, purpose: string): Buffer {
    const nonce = randomBytes(NONCE);
    const cipher = createCipheriv(ALGORITHM, this.#key, nonce).setAAD(Buffer.from(purpose));
    return Buffer.concat([nonce, cipher.update(data), cipher.final(), cipher.getAuthTag()]);
  }

  /** Undefined where it was sealed with another key, for another purpose, or has been changed. */
  opened(data: Buffer, purpose: string): Buffer | undefined {
    if (data.length < NONCE + TAG) return undefined;
    try {
      const decipher = createDecipheriv(ALGORITHM, this.#key, data.subarray(0, NONCE))
        .setAAD(Buffer.from(purpose))
        .setAuthTag(data.subarray(data.length - TAG));
      return Buffer.concat([decipher.update(data.subarray(NONCE, data.length - TAG)), decipher.final()]);
    } catch {
      return undefined;
    }
  }
}
