import { fail } from '../../core/problems.ts';
import type { KeptToken, KeptTokens } from '../credentials/kept-tokens.ts';
import { isAway } from './team-ledger.ts';
import { aloneInTeam } from './team-lock.ts';
import type { TeamRedis } from './team-redis.ts';

/** A token of which nobody says when it ends is kept for so long, in milliseconds; and each as long as its refresh token may be good. */
const KEPT = 30 * 86_400_000;

/** The tokens of a team: one machine gets one, the others take it. They lie in Redis sealed with the key of the team. */
export class TeamTokens implements KeptTokens {
  readonly keepsAll = true;
  readonly #team: TeamRedis;
  readonly #warn: (message: string) => void;
  /** What could not be told yet. */
  readonly #inMemory = new Map<string, KeptToken>();

  constructor(team: TeamRedis, warn: (message: string) => void) {
    this.#team = team;
    this.#warn = warn;
  }

  /** What a token is for may name a client, so it does not stand there readable. */
  #name(key: string): string {
    return this.#team.name('token', this.#team.seal.digest(key));
  }

  /** Throws `team-away`. */
  async get(key: string): Promise<KeptToken | undefined> {
    const inMemory = this.#inMemory.get(key);
    if (inMemory) return inMemory;
    const name = this.#name(key);
    const sealed = await this.#team.do((redis) => redis.getBuffer(name));
    const text = sealed && this.#team.seal.opened(sealed, `token ${key}`)?.toString('utf8');
    if (text === undefined || text === null) return undefined;
    const { until, ...token } = JSON.parse(text) as KeptToken;
    // Its end is told by the clock of Redis, and asked for by that of this machine.
    return until === undefined ? token : { ...token, until: until - this.#ahead };
  }

  get #ahead(): number {
    return this.#team.now() - Date.now();
  }

  async set(key: string, token: KeptToken): Promise<void> {
    const { until } = token;
    const told = until === undefined ? token : { ...token, until: until + this.#ahead };
    const sealed = this.#team.seal.sealed(Buffer.from(JSON.stringify(told)), `token ${key}`);
    this.#inMemory.set(key, token);
    const lasts =
      token.refresh !== undefined || until === undefined
        ? KEPT
        : Math.max(1000, Math.ceil(until - Date.now()));
    const name = this.#name(key);
    try {
      await this.#team.do((redis) => redis.set(name, sealed, 'PX', lasts));
      this.#inMemory.delete(key);
    } catch (error) {
      if (!isAway(error)) throw error;
      // The service has given it, and gives it only once.
      this.#warn('a token is kept in memory only, until Redis is back');
      if (!this.#team.isThere) void this.#team.redis.set(name, sealed, 'PX', lasts).catch(() => undefined);
    }
  }

  async remove(key: string): Promise<void> {
    this.#inMemory.delete(key);
    const name = this.#name(key);
    await this.#team.do((redis) => redis.del(name));
  }

  alone<T>(key: string, work: () => Promise<T>): Promise<T> {
    return aloneInTeam(this.#team, `token ${this.#team.seal.digest(key)}`, work);
  }

  #claimed(token: string): string {
    return this.#team.name('used', this.#team.seal.digest(token));
  }

  async claim(token: string): Promise<void> {
    const name = this.#claimed(token);
    const { machine } = this.#team;
    if ((await this.#team.do((redis) => redis.set(name, machine, 'PX', KEPT, 'NX'))) === null)
      fail(
        'sign-in-failed',
        `the refresh token was used by ${(await this.#team.do((redis) => redis.get(name))) ?? 'another machine'} already, and what came of it is not known here: it is not used twice`,
        { hint: 'batharon sign-in, or another refresh token in the secret' },
      );
  }

  async release(token: string): Promise<void> {
    const name = this.#claimed(token);
    await this.#team.do((redis) => redis.del(name));
  }
}
