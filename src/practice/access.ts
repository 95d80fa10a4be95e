import type { FastifyReply, FastifyRequest } from 'fastify';
import { deviceToken } from './device.ts';
import { problem } from './problem.ts';
import { KEYS, type State } from './state.ts';
import { grant, refuse } from './tokens.ts';

/** Who sends a request, or nobody; a response has been given where the credential is no good. */
export interface Caller {
  readonly name: string;
  readonly scopes: readonly string[];
}

const SCOPES = ['pieces:read', 'pieces:write', 'firings:write'];

/** The token endpoint (RFC 6749, sections 4.4 and 6; RFC 8628, section 3.4). */
export function grantToken(state: State, request: FastifyRequest, reply: FastifyReply): FastifyReply {
  const form = new URLSearchParams(typeof request.body === 'string' ? request.body : '');
  const type = form.get('grant_type');
  if (type === 'urn:ietf:params:oauth:grant-type:device_code') return deviceToken(state, form, reply);
  if (type === 'refresh_token') {
    const known = state.refresh.get(form.get('refresh_token') ?? '');
    if (!known) return refuse(reply, 400, 'invalid_grant', 'this refresh token is not known, or used up');
    state.refresh.delete(form.get('refresh_token')!);
    return grant(state, known.client, known.scope, { reply, refreshable: true });
  }
  const basic = /^Basic\s+(\S+)$/i.exec(request.headers.authorization ?? '')?.[1];
  const [user, secret] =
    basic === undefined
      ? [form.get('client_id'), form.get('client_secret')]
      : basicParts(basic).map((part) => decodeURIComponent(part));
  if (user !== KEYS.client || secret !== KEYS.clientSecret)
    return refuse(reply, 401, 'invalid_client', 'no such client, or another secret');
  if (type !== 'client_credentials')
    return refuse(
      reply,
      400,
      'unsupported_grant_type',
      'this endpoint knows client_credentials, refresh_token and the device grant',
    );
  const asked = form.get('scope')?.split(' ').filter(Boolean) ?? SCOPES;
  const unknown = asked.find((scope) => !SCOPES.includes(scope));
  if (unknown !== undefined) return refuse(reply, 400, 'invalid_scope', `there is no scope ${unknown}`);
  return grant(state, user, asked.join(' '), { reply, refreshable: false });
}

function basicParts(encoded: string): [string, string] {
  const text = Buffer.from(encoded, 'base64').toString('utf8');
  const colon = text.indexOf(':');
  return colon < 0 ? [text, ''] : [text.slice(0, colon), text.slice(colon + 1)];
}

/** A token, or the key in the field Emberfold-Key or the parameter `key`. */
export function authenticate(state: State, request: FastifyRequest, reply: FastifyReply): Caller | undefined {
  const refuse = (challenge: string, detail: string): undefined => {
    void problem(reply.header('www-authenticate', challenge), 401, 'Who are you?', { detail });
    return undefined;
  };
  const token = /^Bearer\s+(\S+)$/i.exec(request.headers.authorization ?? '')?.[1];
  if (token === KEYS.personalToken) return { name: 'personal', scopes: SCOPES };
  if (token !== undefined) {
    const known = state.tokens.get(token);
    if (!known)
      return refuse('Bearer realm="emberfold", error="invalid_token"', 'this token is not known here');
    if (known.until <= state.now())
      return refuse(
        'Bearer realm="emberfold", error="invalid_token", error_description="expired"',
        'this token has expired',
      );
    return { name: known.client, scopes: known.scope.split(' ') };
  }
  const key = request.headers['emberfold-key'] ?? (request.query as Record<string, string>).key;
  if (key === undefined)
    return refuse('Bearer realm="emberfold"', 'a token from /v1/token, or a key in the field Emberfold-Key');
  return key === KEYS.apiKey
    ? { name: 'api-key', scopes: ['pieces:read'] }
    : refuse('Bearer realm="emberfold"', 'this key is not known here');
}

/** Whether the caller may do something; a response has been given where not (RFC 6750, section 3.1). */
export function permits(caller: Caller, scope: string, reply: FastifyReply): boolean {
  if (caller.scopes.includes(scope)) return true;
  void problem(
    reply.header(
      'www-authenticate',
      `Bearer realm="emberfold", error="insufficient_scope", scope="${scope}"`,
    ),
    403,
    'Not with this credential',
    { detail: `this needs the scope ${scope}` },
  );
  return false;
}

/** Basic for the office (RFC 7617); it answers in plain text. */
export function isOffice(request: FastifyRequest, reply: FastifyReply): boolean {
  const basic = /^Basic\s+(\S+)$/i.exec(request.headers.authorization ?? '')?.[1];
  const [user, password] = basic === undefined ? [] : basicParts(basic);
  if (user === KEYS.officeUser && password === KEYS.officePassword) return true;
  void reply
    .code(401)
    .header('www-authenticate', 'Basic realm="office", charset="UTF-8"')
    .header('content-type', 'text/plain; charset=utf-8')
    .send('The office is for staff.\n');
  return false;
}
