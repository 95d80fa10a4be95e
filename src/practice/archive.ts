import { createHash } from 'node:crypto';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { sendJson } from './problem.ts';
import { KEYS, type State } from './state.ts';

const REALM = 'archive';
/** How long a nonce is good for, in milliseconds of the service's time. */
const NONCE_LIFE = 60_000;

/** Old firings, behind Digest (RFC 7616) with SHA-256, and MD5 for old clients. */
export function addArchive(server: FastifyInstance, state: State): void {
  const nonces = new Map<string, { made: number; count: number }>();

  const challenge = (reply: FastifyReply, stale: boolean): FastifyReply => {
    const nonce = createHash('sha256')
      .update(`${state.options.seed} nonce ${state.next()}`)
      .digest('base64url');
    nonces.set(nonce, { made: state.now(), count: 0 });
    const fields = ['SHA-256', 'MD5'].map(
      (algorithm) =>
        `Digest realm="${REALM}", qop="auth", algorithm=${algorithm}, nonce="${nonce}"${stale ? ', stale=true' : ''}`,
    );
    return reply
      .code(401)
      .header('www-authenticate', fields)
      .header('content-type', 'text/plain; charset=utf-8')
      .send('The archive is locked.\n');
  };

  const isLetIn = (request: FastifyRequest, reply: FastifyReply): boolean => {
    const field = /^Digest\s+(.*)$/is.exec(request.headers.authorization ?? '')?.[1];
    const given = new Map(
      [...(field ?? '').matchAll(/(\w+)=(?:"([^"]*)"|([^\s,]+))/g)].map(([, name, quoted, plain]) => [
        name!,
        quoted ?? plain!,
      ]),
    );
    const nonce = nonces.get(given.get('nonce') ?? '');
    const count = parseInt(given.get('nc') ?? '', 16);
    const hash = (text: string): string =>
      createHash(given.get('algorithm') === 'SHA-256' ? 'sha256' : 'md5')
        .update(text)
        .digest('hex');
    const expected = hash(
      [
        hash(`${KEYS.archiveUser}:${REALM}:${KEYS.archivePassword}`),
        given.get('nonce'),
        given.get('nc'),
        given.get('cnonce'),
        'auth',
        hash(`${request.method}:${request.url}`),
      ].join(':'),
    );
    const good =
      given.get('username') === KEYS.archiveUser &&
      given.get('uri') === request.url &&
      given.get('response') === expected;
    const tooOld = nonce !== undefined && (state.now() - nonce.made > NONCE_LIFE || !(count > nonce.count));
    if (nonce && good && !tooOld) {
      nonce.count = count;
      return true;
    }
    void challenge(reply, good && (tooOld || !nonce));
    return false;
  };

  server.get('/v1/archive/firings', (request, reply) =>
    isLetIn(request, reply)
      ? sendJson(reply, 200, {
          firings: [
            { year: 1998, pieces: 412, cracked: 9 },
            { year: 1999, pieces: 388, cracked: 14 },
          ],
        })
      : reply,
  );
}
