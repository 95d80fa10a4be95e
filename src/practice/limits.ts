import type { FastifyReply } from 'fastify';
import { page } from './problem.ts';
import type { State } from './state.ts';

interface Bucket {
  tokens: number;
  at: number;
  used: number;
}

/** A token bucket and a daily budget for each credential. */
export class RateLimits {
  readonly #state: State;
  readonly #buckets = new Map<string, Bucket>();

  constructor(state: State) {
    this.#state = state;
  }

  /** Takes one request from the caller's bucket; where it is empty, answers 429 with a page and gives false. */
  take(caller: string, reply: FastifyReply): boolean {
    const { rate, burst, budget } = this.#state.options;
    const now = this.#state.uptime();
    const bucket = this.#buckets.get(caller) ?? { tokens: burst, at: now, used: 0 };
    this.#buckets.set(caller, bucket);
    bucket.tokens = Math.min(burst, bucket.tokens + ((now - bucket.at) * rate) / 1000);
    bucket.at = now;
    const spent = bucket.used >= budget;
    const allowed = bucket.tokens >= 1 && !spent;
    if (allowed) {
      bucket.tokens--;
      bucket.used++;
    }
    const wait = spent ? 86_400 : Math.max(1, Math.ceil((1 - bucket.tokens) / rate));
    const left = Math.floor(Math.max(0, bucket.tokens));
    // The IETF draft's fields, and those of common practice.
    void reply
      .header(
        'ratelimit-policy',
        `"burst";q=${burst};w=${Math.ceil(burst / rate)}, "day";q=${budget};w=86400`,
      )
      .header('ratelimit', `"burst";r=${left};t=${left > 0 ? 0 : wait}`)
      .header('x-ratelimit-limit', String(burst))
      .header('x-ratelimit-remaining', String(left));
    if (allowed) return true;
    void page(
      reply.header('retry-after', String(wait)),
      429,
      'Too many requests',
      spent ? 'The budget of today is used up.' : `Please come back in ${wait} s.`,
    );
    return false;
  }
}
