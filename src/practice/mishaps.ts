import type { FastifyReply, FastifyRequest } from 'fastify';
import { seeded } from './seeded-random.ts';
import { drifted } from './planned-drift.ts';
import { drained } from './drained.ts';
import { page, problem } from './problem.ts';
import type { State } from './state.ts';

/** What can go wrong on request: by the field Emberfold-Mishap, or the parameter `mishap`. */
export const MISHAPS = {
  '500': 'an internal error, as problem details',
  '503': 'a page, with Retry-After',
  reset: 'the connection is broken off before the response',
  'slow-first-byte': "the response begins after 3 seconds of the service's time",
  'slow-body': "the body comes in pieces over 3 seconds of the service's time",
  'cut-body': 'the body breaks off in its middle',
  'broken-json': 'JSON that does not parse',
  'wrong-type': 'a page that calls itself JSON',
  'huge-body': 'a body of 80 MB',
  'endless-body': 'a body without an end (bounded at 200 MB)',
  'redirect-away': 'a redirect to another origin',
  'redirect-loop': 'a redirect to itself',
  late: "a response after 90 seconds of the service's time",
  'lost-response': 'the request is carried out, and the connection broken off in place of a response',
  'cut-response': 'the request is carried out, and its response breaks off in its middle',
  '500-after': 'the request is carried out, and the response is an internal error all the same',
  drift: 'the response is a little otherwise than described: for learning what a contract finds',
  'early-notice': 'a notice about a firing comes before the response to its request',
  'double-notice': 'a notice about a firing comes twice',
  'garbled-notice': 'a notice about a firing is no JSON',
} as const;

export type Mishap = keyof typeof MISHAPS;

/** How often /moody misbehaves. */
const MOOD = 0.4;
const MOODS: readonly Mishap[] = ['500', '503', 'reset', 'cut-body', 'broken-json', 'wrong-type'];
/** What can happen to any request of a moody service: before, in and after it is carried out. */
const FAULTS: readonly Mishap[] = [
  '500',
  '503',
  'reset',
  'late',
  'lost-response',
  'cut-response',
  '500-after',
];
/** Mishaps that happen to a response, or to what follows it. */
const AFTERWARDS: ReadonlySet<Mishap> = new Set<Mishap>([
  'lost-response',
  'cut-response',
  '500-after',
  'drift',
  'early-notice',
  'double-notice',
  'garbled-notice',
]);

export class Moods {
  readonly #state: State;
  readonly #chance: () => number;

  constructor(state: State) {
    this.#state = state;
    this.#chance = seeded(state.options.seed + 1);
  }

  /** The mishap that a request asks for, or that the mood brings. */
  of(request: FastifyRequest): Mishap | undefined {
    const asked = request.headers['emberfold-mishap'] ?? (request.query as Record<string, unknown>).mishap;
    if (typeof asked === 'string' && Object.hasOwn(MISHAPS, asked)) return asked as Mishap;
    const { drift, moody } = this.#state.options;
    if (drift) return 'drift';
    if (moody > 0 && /^\/v1\/(?!token)/.test(request.url))
      return this.#chance() < moody ? FAULTS[Math.floor(this.#chance() * FAULTS.length)] : undefined;
    if (!request.url.startsWith('/v1/moody')) return undefined;
    return this.#chance() < MOOD ? MOODS[Math.floor(this.#chance() * MOODS.length)] : undefined;
  }

  /** Carries out a mishap; false where the request is to be answered after all, only later. */
  async happen(mishap: Mishap, request: FastifyRequest, reply: FastifyReply): Promise<boolean> {
    const pause = (milliseconds: number): Promise<void> =>
      new Promise((resolve) => setTimeout(resolve, milliseconds / this.#state.options.speed).unref());
    if (AFTERWARDS.has(mishap)) return false;
    switch (mishap) {
      case '500':
        await problem(reply, 500, 'The kiln is out of order', { detail: 'a fuse has blown' });
        return true;
      case '503':
        await page(reply.header('retry-after', '1'), 503, 'Back in a moment', 'The kiln is being cleaned.');
        return true;
      case 'reset':
        reply.hijack();
        request.raw.socket.resetAndDestroy();
        return true;
      case 'slow-first-byte':
        await pause(3000);
        return false;
      case 'late':
        await pause(90_000);
        return false;
      case 'broken-json':
        await reply
          .header('content-type', 'application/json')
          .send('{"pieces": [{"id": "p1001", "cone": 6,}]}');
        return true;
      case 'wrong-type':
        await reply
          .header('content-type', 'application/json')
          .send(
            '<!doctype html><html><head><title>Kiln closed</title></head><body>Come back tomorrow.</body></html>',
          );
        return true;
      case 'redirect-away':
        await reply.redirect(
          request.protocol +
            '://localhost' +
            request.host.replace(/^[^:]*/, '') +
            request.url.replace(/([?&])mishap=[^&]*&?/, '$1'),
          302,
        );
        return true;
      case 'redirect-loop':
        await reply.redirect(request.url, 307);
        return true;
      default:
        await this.#body(mishap, reply, pause);
        return true;
    }
  }

  /** Carries out a mishap of a response that is about to be sent; gives what is sent in its place. */
  spoil(mishap: Mishap, request: FastifyRequest, reply: FastifyReply, payload: unknown): unknown {
    if (mishap === '500-after') {
      const body = '{"title":"The kiln is out of order"}';
      void reply
        .code(500)
        .header('content-type', 'application/problem+json')
        .header('content-length', body.length);
      return body;
    }
    if (mishap === 'drift') return drifted(request, reply, payload);
    if (mishap !== 'lost-response' && mishap !== 'cut-response') return payload;
    if (mishap === 'lost-response') request.raw.socket.resetAndDestroy();
    else {
      // Half of the body goes out, then the connection is broken off.
      const { raw } = reply;
      raw.end = ((chunk: unknown) => {
        const text = String(chunk);
        raw.write(text.slice(0, text.length / 2), () => raw.destroy());
        return raw;
      }) as typeof raw.end;
    }
    return payload;
  }

  async #body(
    mishap: Mishap,
    reply: FastifyReply,
    pause: (milliseconds: number) => Promise<void>,
  ): Promise<void> {
    reply.hijack();
    const { raw } = reply;
    const text = '{"pieces": [], "note": "patience"}';
    if (mishap === 'slow-body' || mishap === 'cut-body') {
      raw.writeHead(200, { 'content-type': 'application/json', 'content-length': text.length });
      for (let i = 0; i < text.length; i += 4) {
        if (mishap === 'cut-body' && i > text.length / 2) {
          raw.destroy();
          return;
        }
        raw.write(text.slice(i, i + 4));
        await pause(mishap === 'slow-body' ? 300 : 0);
      }
      raw.end();
      return;
    }
    const size = mishap === 'huge-body' ? 80_000_000 : undefined;
    raw.writeHead(200, {
      'content-type': 'application/octet-stream',
      ...(size === undefined ? {} : { 'content-length': size }),
    });
    const chunk = Buffer.alloc(1_000_000, 'ember ');
    for (let sent = 0; sent < (size ?? 200_000_000) && !raw.destroyed; sent += chunk.length) {
      if (!raw.write(chunk)) await drained(raw);
    }
    raw.end();
  }
}
