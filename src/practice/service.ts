import type { AddressInfo } from 'node:net';
import { fastify, type FastifyInstance, type FastifyReply, type FastifyRequest } from 'fastify';
import { authenticate, type Caller, grantToken, isOffice } from './access.ts';
import { addArchive } from './archive.ts';
import { addDevice } from './device.ts';
import { addFirings } from './firings.ts';
import { RateLimits } from './limits.ts';
import { type Mishap, MISHAPS, Moods } from './mishaps.ts';
import { openapi } from './openapi.ts';
import { addPieces } from './pieces.ts';
import { problem, sendJson } from './problem.ts';
import { addSigned } from './signed.ts';
import { GLAZES } from './stock.ts';
import { addStudio } from './studio.ts';
import { addStreams } from './streams.ts';
import { addTransfers, glazesXml } from './transfers.ts';
import { type PracticeOptions, State } from './state.ts';

export interface PracticeService {
  /** Where chains find it: the address of its version 1. */
  readonly url: string;
  readonly close: () => Promise<void>;
}

/** Starts the practice service on the loopback interface; nothing of it outlives its end. */
export async function startPractice(options: PracticeOptions = {}): Promise<PracticeService> {
  const state = new State(options);
  const server = fastify({
    logger: false,
    forceCloseConnections: true,
    routerOptions: { ignoreTrailingSlash: true },
  });
  server.removeAllContentTypeParsers();
  server.addContentTypeParser('*', { parseAs: 'string' }, (_, body, done) => done(null, body));
  addHooks(server, state);
  addRoutes(server, state);
  await server.listen({ host: '127.0.0.1', port: options.port ?? 0 });
  const { port } = server.server.address() as AddressInfo;
  return { url: `http://127.0.0.1:${port}/v1`, close: () => server.close() };
}

function addHooks(server: FastifyInstance, state: State): void {
  const moods = new Moods(state);
  const mishaps = new WeakMap<FastifyRequest, Mishap>();
  const arrivals = new WeakMap<FastifyRequest, number>();
  server.addHook('onRequest', async (request, reply) => {
    arrivals.set(request, state.uptime());
    const mishap = moods.of(request);
    if (!mishap) return;
    mishaps.set(request, mishap);
    // Some mishaps leave no response for the hook below to count.
    const counted = await moods.happen(mishap, request, reply);
    if (counted && !reply.raw.headersSent) record(request, 0);
    if (counted) return reply;
  });
  server.addHook('onSend', async (request, reply, payload) => {
    const mishap = mishaps.get(request);
    return mishap ? moods.spoil(mishap, request, reply, payload) : payload;
  });
  const record = (request: FastifyRequest, status: number): void => {
    if (request.url === '/ledger') return;
    const mishap = mishaps.get(request);
    state.ledger.push({
      at: arrivals.get(request) ?? state.uptime(),
      method: request.method,
      path: request.url.replace(/([?&]key=)[^&]*/, '$1…'),
      status,
      credential: credentialOf(request),
      ...(mishap === undefined ? {} : { mishap }),
    });
  };
  server.addHook('onResponse', async (request, reply) => record(request, reply.statusCode));
  server.setNotFoundHandler((request, reply) =>
    problem(reply, 404, 'Nothing here', {
      detail: `${request.method} ${request.url.split('?')[0]!} leads nowhere; / describes the service`,
    }),
  );
  server.setErrorHandler((error: Error & { statusCode?: number }, _, reply) =>
    problem(reply, error.statusCode ?? 500, 'That went wrong', { detail: error.message }),
  );
}

function credentialOf(request: FastifyRequest): string {
  const authorization = request.headers.authorization;
  if (authorization !== undefined) return /^(\S+)/.exec(authorization)![1]!;
  return request.headers['emberfold-key'] === undefined &&
    (request.query as Record<string, unknown>).key === undefined
    ? 'none'
    : 'key';
}

function addRoutes(server: FastifyInstance, state: State): void {
  const limits = new RateLimits(state);
  /** Who asks, if the credential is good and its bucket not empty; otherwise a response has been given. */
  const guard = (request: FastifyRequest, reply: FastifyReply): Caller | undefined => {
    const caller = authenticate(state, request, reply);
    return caller && limits.take(caller.name, reply) ? caller : undefined;
  };
  server.get('/', (_, reply) =>
    sendJson(reply, 200, {
      service: 'Emberfold Kilns, a practice service; all of it is made up',
      description: '/openapi.json',
      ledger: '/ledger',
      mishaps: MISHAPS,
    }),
  );
  server.get('/openapi.json', (_, reply) => sendJson(reply, 200, openapi));
  server.get('/ledger', (_, reply) =>
    sendJson(reply, 200, {
      received: state.ledger.length,
      firings: [...state.firings.values()].filter(({ takenBack }) => !takenBack).length,
      loaded: [...state.firings.values()].map(({ id, piece, takenBack }) => ({
        id,
        piece,
        taken_back: takenBack,
      })),
      requests: state.ledger,
    }),
  );
  server.post('/v1/token', (request, reply) => grantToken(state, request, reply));
  server.get('/v1/glazes', (request, reply) => {
    if (!guard(request, reply)) return reply;
    void reply.header('vary', 'Accept');
    return /\bxml\b/.test(request.headers.accept ?? '')
      ? reply.header('content-type', 'application/xml; charset=utf-8').send(glazesXml())
      : sendJson(reply, 200, GLAZES);
  });
  server.get('/v1/glazes/:name', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const { name } = request.params as { name: string };
    const glaze = GLAZES.find((one) => one.name === name);
    return glaze
      ? sendJson(reply, 200, glaze)
      : problem(reply, 404, 'No such glaze', {
          detail: `the glazes are ${GLAZES.map((one) => one.name).join(', ')}`,
        });
  });
  server.get('/v1/daylight', (request, reply) => daylight(state, request, reply));
  addPieces(server, state, guard);
  addFirings(server, state, guard);
  addTransfers(server, state, guard);
  addStreams(server, state, guard);
  addArchive(server, state);
  addStudio(server, state);
  addSigned(server);
  addDevice(server, state);
  server.get('/v1/office/orders', (request, reply) =>
    isOffice(request, reply)
      ? sendJson(reply, 200, {
          orders: [
            { number: 'O-2201', pieces: ['p1001', 'p1007'], paid: true },
            { number: 'O-2202', pieces: ['p1013'], paid: false },
          ],
        })
      : reply,
  );
  server.get('/v1/moody/racks', (_, reply) => sendJson(reply, 200, { racks: ['A1', 'A2', 'A3'] }));
}

/** When pots can dry outdoors on a day. Needs no credential; now and then it is slow. */
async function daylight(state: State, request: FastifyRequest, reply: FastifyReply): Promise<FastifyReply> {
  const { date } = request.query as { date?: string };
  const day = date === undefined ? NaN : Date.parse(`${date}T00:00:00Z`);
  if (date === undefined || !/^\d{4}-\d\d-\d\d$/.test(date) || Number.isNaN(day))
    return problem(reply, 400, 'Which date?', { detail: 'date=2026-03-01' });
  const yearly = Math.cos(((day / 86_400_000 - 172) / 365.25) * 2 * Math.PI);
  const hours = 12 + yearly * 2.8;
  const noon = day / 1000 + 12 * 3600;
  if (state.next() % 7 === 0)
    await new Promise((resolve) => setTimeout(resolve, 1500 / state.options.speed).unref());
  return sendJson(reply, 200, {
    date,
    light: { from: Math.round(noon - hours * 1800), until: Math.round(noon + hours * 1800) },
    drying_hours: Math.round((hours - 3) * 10) / 10,
  });
}
