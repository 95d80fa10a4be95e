import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { problem, sendJson } from './problem.ts';
import { KEYS } from './state.ts';

/** How far a signature's time may be off, in seconds. */
const SKEW = 300;

/** Orders of dealers, who sign each request with a shared key (RFC 9421, hmac-sha256). */
export function addSigned(server: FastifyInstance): void {
  server.get('/v1/signed/orders', (request, reply) =>
    isSigned(request, reply) ? sendJson(reply, 200, { orders: [{ number: 'D-88', pieces: 12 }] }) : reply,
  );
  server.post('/v1/signed/orders', (request, reply) =>
    isSigned(request, reply)
      ? sendJson(reply, 201, { number: 'D-89', received: String(request.body).length })
      : reply,
  );
}

function isSigned(request: FastifyRequest, reply: FastifyReply): boolean {
  const why = fault(request);
  if (why === undefined) return true;
  void problem(reply, 401, 'Not signed', { detail: why });
  return false;
}

/** What is wrong with a signature; nothing where it is good. */
function fault(request: FastifyRequest): string | undefined {
  const { headers } = request;
  const [, label, parameters] =
    /^([a-z*][\w.*-]*)=(\(.*)$/.exec(String(headers['signature-input'] ?? '')) ?? [];
  if (label === undefined || parameters === undefined) return 'there is no Signature-Input';
  const names = [.../^\(([^)]*)\)/.exec(parameters)![1]!.matchAll(/"([^"]*)"/g)].map(([, name]) => name!);
  const created = Number(/;created=(\d+)/.exec(parameters)?.[1]);
  if (!(Math.abs(Date.now() / 1000 - created) < SKEW)) return 'created is not of now';
  if (/;keyid="([^"]*)"/.exec(parameters)?.[1] !== KEYS.signer) return 'keyid names no dealer';
  for (const needed of ['@method', '@target-uri', ...(request.body === undefined ? [] : ['content-digest'])])
    if (!names.includes(needed)) return `${needed} is not covered`;
  const base = [
    ...names.map((name) => `"${name}": ${component(name, request)}`),
    `"@signature-params": ${parameters}`,
  ].join('\n');
  const expected = createHmac('sha256', Buffer.from(KEYS.signingKey, 'base64')).update(base).digest();
  const given = Buffer.from(
    new RegExp(`(?:^|,\\s*)${label}=:([^:]*):`).exec(String(headers.signature ?? ''))?.[1] ?? '',
    'base64',
  );
  if (given.length !== expected.length || !timingSafeEqual(given, expected))
    return 'the signature is another';
  const digest = `sha-256=:${createHash('sha256').update(String(request.body)).digest('base64')}:`;
  return request.body !== undefined && headers['content-digest'] !== digest
    ? 'the body is another than its digest says'
    : undefined;
}

function component(name: string, request: FastifyRequest): string {
  switch (name) {
    case '@method':
      return request.method;
    case '@target-uri':
      return `${request.protocol}://${request.host}${request.url}`;
    case '@authority':
      return request.host;
    case '@path':
      return request.url.replace(/\?.*/, '');
    default:
      return String(request.headers[name] ?? '');
  }
}
