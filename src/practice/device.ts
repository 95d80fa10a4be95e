import { createHash } from 'node:crypto';
import type { FastifyInstance } from 'fastify';
import { page, sendJson } from './problem.ts';
import { KEYS, type State } from './state.ts';
import { grant, refuse } from './tokens.ts';

/** Seconds between two questions of a device, and until its code is too old. */
const INTERVAL = 5;
const CODE_LIFE = 600;

/** Signing in on another device (RFC 8628): a panel without a keyboard shows a code, a person enters it on a page. */
export function addDevice(server: FastifyInstance, state: State): void {
  server.post('/v1/device', (request, reply) => {
    const form = new URLSearchParams(String(request.body));
    if (form.get('client_id') !== KEYS.panel) return refuse(reply, 401, 'invalid_client', 'no such client');
    const text = createHash('sha256').update(`${state.options.seed} device ${state.next()}`).digest('hex');
    const letters = text.replace(/./g, (digit) => 'BCDFGHJKLMNPQRST'[parseInt(digit, 16)]!);
    const user = `${letters.slice(0, 4)}-${letters.slice(4, 8)}`;
    state.devices.set(text, {
      user,
      scope: form.get('scope') ?? 'pieces:read',
      approved: false,
      until: state.now() + CODE_LIFE * 1000,
      asked: -Infinity,
    });
    const address = `${request.protocol}://${request.host}/device`;
    return sendJson(reply, 200, {
      device_code: text,
      user_code: user,
      verification_uri: address,
      verification_uri_complete: `${address}?code=${user}`,
      expires_in: CODE_LIFE,
      interval: INTERVAL,
    });
  });
  server.get('/device', (request, reply) => {
    const code = ((request.query as { code?: string }).code ?? '').replace(/[^A-Z-]/g, '');
    return reply
      .header('content-type', 'text/html; charset=utf-8')
      .send(
        `<!doctype html>\n<html><head><title>Which panel?</title></head><body><form method="post" action="/device"><input name="code" value="${code}"><button>Let it in</button></form></body></html>\n`,
      );
  });
  server.post('/device', (request, reply) => {
    const code = new URLSearchParams(String(request.body)).get('code');
    const device = [...state.devices.values()].find(
      ({ user, until }) => user === code && until > state.now(),
    );
    if (!device) return page(reply, 404, 'No such code', 'Look at the panel again.');
    device.approved = true;
    return page(reply, 200, 'The panel is in', 'You can close this page.');
  });
}

/** Answers a device that asks whether it may come in (RFC 8628, section 3.5). */
export function deviceToken(
  state: State,
  form: URLSearchParams,
  reply: Parameters<typeof refuse>[0],
): ReturnType<typeof refuse> {
  const device = state.devices.get(form.get('device_code') ?? '');
  if (!device || form.get('client_id') !== KEYS.panel)
    return refuse(reply, 400, 'invalid_grant', 'no such device');
  if (device.until <= state.now()) return refuse(reply, 400, 'expired_token', 'the code is too old');
  const early = state.now() - device.asked < INTERVAL * 900;
  device.asked = state.now();
  if (early) return refuse(reply, 400, 'slow_down', `ask every ${INTERVAL} seconds`);
  if (!device.approved) return refuse(reply, 400, 'authorization_pending', 'nobody has entered the code yet');
  state.devices.delete(form.get('device_code')!);
  return grant(state, KEYS.panel, device.scope, { reply, refreshable: true });
}
