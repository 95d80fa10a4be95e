import { createHash } from 'node:crypto';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Caller } from './access.ts';
import { drawCertificate } from './certificate.ts';
import { drained } from './drained.ts';
import { problem, sendJson } from './problem.ts';
import { GLAZES } from './stock.ts';
import type { State } from './state.ts';

type Guard = (request: FastifyRequest, reply: FastifyReply) => Caller | undefined;

/** The most that is sent as a film, in megabytes. */
const LARGEST_FILM = 500;

/** Things that are larger than a body of JSON, or of another form. */
export function addTransfers(server: FastifyInstance, state: State, guard: Guard): void {
  server.get('/v1/catalogue', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const cell = (text: string): string => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
    const rows = [...state.pieces.values()].map(({ id, name, rack, price }) =>
      [id, name, rack, typeof price === 'number' ? price.toFixed(2) : price.value].map(cell).join(','),
    );
    return reply
      .header('content-type', 'text/csv; charset=utf-8')
      .send(`id,name,rack,price\r\n${rows.join('\r\n')}\r\n`);
  });

  server.get('/v1/kiln/events', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const events = ['heating', 'soaking', 'cooling'].map(
      (name, i) =>
        `id: ${i + 1}\nevent: ${name}\ndata: {"kiln":"north","celsius":${[900, 1240, 300][i]!}}\n\n`,
    );
    return reply
      .header('content-type', 'text/event-stream')
      .send(`: the last hours of the kiln\n\n${events.join('')}`);
  });

  server.get('/v1/pieces/:id/photo', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const { id } = request.params as { id: string };
    if (!state.pieces.has(id))
      return problem(reply, 404, 'No such piece', { detail: `there is no piece ${id}` });
    // Pictures lie with somebody else, who must not see the credential.
    return reply.redirect(
      `${request.protocol}://localhost${request.host.replace(/^[^:]*/, '')}/pictures/${id}.png`,
      302,
    );
  });
  server.get('/pictures/:file', (request, reply) =>
    request.headers.authorization !== undefined || request.headers['emberfold-key'] !== undefined
      ? problem(reply, 400, 'No credential here', { detail: 'this host has nothing to do with the studio' })
      : reply
          .header('content-type', 'image/png')
          .send(drawCertificate({ id: (request.params as { file: string }).file, cone: 6 })),
  );

  server.get('/v1/film', (request, reply) => film(guard, request, reply));

  // Uploads are counted while they come, so they may be of any size.
  void server.register(async (scope) => {
    scope.removeAllContentTypeParsers();
    scope.addContentTypeParser('*', (_, payload, done) => done(null, payload));
    scope.put('/v1/pieces/:id/photo', async (request, reply) => {
      const caller = guard(request, reply);
      if (!caller) return reply;
      const hash = createHash('sha256');
      let size = 0;
      for await (const chunk of (request.body ?? []) as AsyncIterable<Buffer>) {
        size += chunk.length;
        hash.update(chunk);
      }
      return sendJson(reply, 201, {
        size,
        sha256: hash.digest('hex'),
        type: request.headers['content-type'] ?? '',
      });
    });
  });
}

/** A film of so many megabytes, made as it is sent. */
async function film(guard: Guard, request: FastifyRequest, reply: FastifyReply): Promise<FastifyReply> {
  if (!guard(request, reply)) return reply;
  const megabytes = Number((request.query as { megabytes?: string }).megabytes ?? '10');
  if (!Number.isInteger(megabytes) || megabytes < 1 || megabytes > LARGEST_FILM)
    return problem(reply, 400, 'How long?', { detail: `megabytes=1 to ${LARGEST_FILM}` });
  reply.hijack();
  const { raw } = reply;
  raw.writeHead(200, { 'content-type': 'video/mp4', 'content-length': megabytes * 1_000_000 });
  const chunk = Buffer.alloc(100_000, 'ember \u0000\xff', 'latin1');
  for (let sent = 0; sent < megabytes * 10 && !raw.destroyed; sent++) {
    if (!raw.write(chunk)) await drained(raw);
  }
  raw.end();
  return reply;
}

/** The glazes in XML, for those who ask for it. */
export function glazesXml(): string {
  const rows = GLAZES.map(
    ({ name, cone, colour, price }) =>
      `  <glaze name="${name.replaceAll('&', '&amp;')}" cone="${cone}" colour="${colour}"><price currency="EUR">${price.value}</price></glaze>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<glazes xmlns="urn:emberfold:glazes">\n${rows.join('\n')}\n</glazes>\n`;
}
