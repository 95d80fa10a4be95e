import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { permits } from './access.ts';
import { readJson } from './json.ts';
import { mayNotify, notify } from './notices.ts';
import type { Precondition } from './pieces.ts';
import { page, problem, sendJson } from './problem.ts';
import type { Firing, State } from './state.ts';

/** When each state begins, in milliseconds of the service's time after loading. */
const STAGES = [
  ['waiting', 0],
  ['heating', 2000],
  ['soaking', 8000],
  ['cooling', 11_000],
  ['done', 15_000],
] as const;

function stageOf(state: State, firing: Firing): string {
  const age = state.now() - firing.loaded;
  if (firing.cracks && age >= 8000) return 'cracked';
  return STAGES.findLast(([, begins]) => age >= begins)![0];
}

function shown(state: State, firing: Firing): Record<string, unknown> {
  const { id, piece, cone } = firing;
  return { id, piece, cone, state: stageOf(state, firing), href: `/v1/firings/${id}` };
}

export function addFirings(server: FastifyInstance, state: State, guard: Precondition): void {
  const find = (request: FastifyRequest, reply: FastifyReply): Firing | undefined => {
    const { id } = request.params as { id: string };
    const firing = state.firings.get(id);
    if (!firing || firing.takenBack) {
      void problem(reply, firing ? 410 : 404, firing ? 'Taken back' : 'No such firing', {
        detail: `there is no firing ${id}`,
      });
      return undefined;
    }
    return firing;
  };

  server.post('/v1/firings', (request, reply) => {
    const caller = guard(request, reply);
    if (!caller || !permits(caller, 'firings:write', reply)) return reply;
    return load(state, request, reply);
  });

  server.get('/v1/firings/:id', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const firing = find(request, reply);
    if (!firing) return reply;
    const body = shown(state, firing);
    if (body.state !== 'done' && body.state !== 'cracked') void reply.header('retry-after', '1');
    return sendJson(reply, 200, body);
  });

  server.delete('/v1/firings/:id', (request, reply) => {
    const caller = guard(request, reply);
    if (!caller || !permits(caller, 'firings:write', reply)) return reply;
    const firing = find(request, reply);
    if (!firing) return reply;
    firing.takenBack = true;
    return reply.code(204).send();
  });

  server.get('/v1/firings/:id/certificate', async (request, reply) => {
    if (!guard(request, reply)) return reply;
    const firing = find(request, reply);
    if (!firing) return reply;
    if (stageOf(state, firing) !== 'done')
      return page(reply, 200, 'Kiln closed', 'The certificate is written when the kiln is open again.');
    const { drawCertificate } = await import('./certificate.ts');
    return reply.header('content-type', 'image/png').send(drawCertificate(firing));
  });
}

function load(state: State, request: FastifyRequest, reply: FastifyReply): FastifyReply {
  const text = String(request.body);
  const key = request.headers['idempotency-key'];
  const known = typeof key === 'string' ? state.answered.get(key) : undefined;
  if (known) {
    if (known.request !== text)
      return problem(reply, 422, 'Key used before', {
        detail: 'this Idempotency-Key came with another request',
      });
    return accept(reply, known.location, known.body);
  }
  let given: { piece?: unknown; cone?: unknown; notify?: unknown };
  try {
    given = readJson(text) as typeof given;
  } catch {
    return problem(reply, 400, 'The body is not JSON');
  }
  const piece = typeof given.piece === 'string' ? state.pieces.get(given.piece) : undefined;
  if (!piece) return problem(reply, 422, 'No such piece', { detail: 'piece is the id of a piece' });
  const cone = given.cone ?? piece.cone;
  if (typeof cone !== 'number' || !Number.isInteger(cone) || cone < 1 || cone > 13)
    return problem(reply, 422, 'Not a cone', { detail: 'cone is a whole number from 1 to 13' });
  const address = given.notify;
  if (address !== undefined && !mayNotify(address))
    return problem(reply, 422, 'Not an address', { detail: 'notify is an http address of this machine' });
  const firing: Firing = {
    id: `f${8000 + state.next()}`,
    piece: piece.id,
    cone,
    loaded: state.now(),
    cracks: cone > piece.cone + 3,
    takenBack: false,
  };
  state.firings.set(firing.id, firing);
  const body = JSON.stringify(shown(state, firing));
  const location = `/v1/firings/${firing.id}`;
  if (address !== undefined) callBack(state, firing, address, request.headers['emberfold-mishap']);
  if (typeof key === 'string') state.answered.set(key, { request: text, status: 202, location, body });
  return accept(reply, location, body);
}

/** Calls back when the firing has ended; some mishaps make that early, twice, or not JSON. */
function callBack(state: State, firing: Firing, address: string, mishap: unknown): void {
  const ends = firing.cracks ? 8000 : 15_000;
  const say = (): void => {
    if (firing.takenBack) return;
    // A timer may come a moment early, and the notice is about the end.
    const body = JSON.stringify({ ...shown(state, firing), state: firing.cracks ? 'cracked' : 'done' });
    void notify(address, mishap === 'garbled-notice' ? '{"state": done' : body);
    if (mishap === 'double-notice') setTimeout(() => void notify(address, body), 50).unref();
  };
  if (mishap === 'early-notice') say();
  else setTimeout(say, ends / state.options.speed).unref();
}

function accept(reply: FastifyReply, location: string, body: string): FastifyReply {
  return reply
    .code(202)
    .header('location', location)
    .header('retry-after', '1')
    .header('content-type', 'application/json')
    .send(body);
}
