import { createHash } from 'node:crypto';
import type { FastifyInstance } from 'fastify';
import { page, sendJson } from './problem.ts';
import { KEYS, type State } from './state.ts';

/** The potters' own pages: a form signs in, a cookie remembers it. */
export function addStudio(server: FastifyInstance, state: State): void {
  const sessions = new Set<string>([KEYS.studioSession]);
  server.get('/v1/studio/login', (_, reply) =>
    reply
      .header('content-type', 'text/html; charset=utf-8')
      .send(
        '<!doctype html>\n<html><head><title>Studio</title></head><body><form method="post" action="/v1/studio/login"><input name="user"><input name="password" type="password"><button>Sign in</button></form></body></html>\n',
      ),
  );
  server.post('/v1/studio/login', (request, reply) => {
    const form = new URLSearchParams(String(request.body));
    if (form.get('user') !== KEYS.studioUser || form.get('password') !== KEYS.studioPassword)
      return page(reply, 403, 'Not you', 'No such potter, or another password.');
    const session = createHash('sha256')
      .update(`${state.options.seed} session ${state.next()}`)
      .digest('base64url');
    sessions.add(session);
    return reply
      .code(303)
      .header('location', '/v1/studio/plans')
      .header('set-cookie', [
        `studio_session=${session}; Path=/v1/studio; HttpOnly; SameSite=Strict`,
        'lang=en; Path=/',
      ])
      .send();
  });
  server.get('/v1/studio/plans', (request, reply) => {
    const session = /(?:^|;\s*)studio_session=([^;]*)/.exec(request.headers.cookie ?? '')?.[1];
    if (session === undefined || !sessions.has(session))
      return page(reply, 401, 'Please sign in', 'The plans are for potters. /v1/studio/login signs in.');
    return sendJson(reply, 200, {
      plans: [
        { day: 'Monday', kiln: 'north' },
        { day: 'Thursday', kiln: 'south' },
      ],
    });
  });
}
