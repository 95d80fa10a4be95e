import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { permits, type Caller } from './access.ts';
import { exact, isNumber, readJson } from './json.ts';
import { problem, sendJson } from './problem.ts';
import { GLAZES, type Piece, RACKS } from './stock.ts';
import type { State } from './state.ts';

type Query = Readonly<Record<string, string | string[] | undefined>>;
export type Precondition = (request: FastifyRequest, reply: FastifyReply) => Caller | undefined;

const one = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value[0] : value;

function shown(piece: Piece, fields?: string): Record<string, unknown> {
  const all: Record<string, unknown> = { ...piece, href: `/v1/pieces/${piece.id}` };
  delete all.version;
  if (fields === undefined) return all;
  const wanted = fields.split(',');
  return Object.fromEntries(Object.entries(all).filter(([name]) => wanted.includes(name)));
}

function filtered(pieces: Iterable<Piece>, query: Query): Piece[] {
  const [state, glazed, glaze] = [one(query.state), one(query.glazed), one(query.glaze)];
  return [...pieces].filter(
    (piece) =>
      (state === undefined || piece.state === state) &&
      (glazed === undefined || String(piece.glazed) === glazed) &&
      (glaze === undefined || piece.glaze === glaze),
  );
}

function whole(text: string | undefined, usual: number, most: number): number | undefined {
  if (text === undefined) return usual;
  const number = Number(text);
  return Number.isInteger(number) && number >= 1 ? Math.min(number, most) : undefined;
}

const etag = (piece: Piece): string => `"${piece.id}-${piece.version}"`;

/** Lists a page of a rack's pieces; the next page is in the Link field (RFC 8288). */
function listRack(state: State, request: FastifyRequest, reply: FastifyReply): FastifyReply {
  const query = request.query as Query;
  const { rack } = request.params as { rack: string };
  if (!(RACKS as readonly string[]).includes(rack))
    return problem(reply, 404, 'No such rack', { detail: `the racks are ${RACKS.join(', ')}` });
  const page = whole(one(query.page), 1, 10_000);
  const size = whole(one(query.limit), 5, 50);
  if (page === undefined || size === undefined)
    return problem(reply, 400, 'page and limit are whole numbers from 1');
  const all = filtered(state.pieces.values(), query).filter((piece) => piece.rack === rack);
  const pages = Math.max(1, Math.ceil(all.length / size));
  const link = (to: number, rel: string): string => {
    const target = new URLSearchParams(
      Object.entries(query).map(([name, value]): [string, string] => [name, one(value) ?? '']),
    );
    target.delete('key');
    target.set('page', String(to));
    return `</v1/racks/${rack}/pieces?${target.toString()}>; rel="${rel}"`;
  };
  const links = [
    link(1, 'first'),
    ...(page > 1 ? [link(page - 1, 'prev')] : []),
    ...(page < pages ? [link(page + 1, 'next')] : []),
    link(pages, 'last'),
  ];
  const pieces = all.slice((page - 1) * size, page * size).map((piece) => shown(piece, one(query.fields)));
  return sendJson(reply.header('link', links.join(', ')), 200, { rack, pieces });
}

/** Lists pieces by cursor, or by page number where `page` is given. */
function listPieces(state: State, request: FastifyRequest, reply: FastifyReply): FastifyReply {
  const query = request.query as Query;
  const size = whole(one(query.limit), 20, 50);
  if (size === undefined) return problem(reply, 400, 'limit is a whole number from 1');
  const all = filtered(state.pieces.values(), query);
  const fields = one(query.fields);
  const pageText = one(query.page);
  if (pageText !== undefined) {
    const page = whole(pageText, 1, 10_000);
    if (page === undefined) return problem(reply, 400, 'page is a whole number from 1');
    const pieces = all.slice((page - 1) * size, page * size).map((piece) => shown(piece, fields));
    return sendJson(reply, 200, { pieces, page, pages: Math.ceil(all.length / size), total: all.length });
  }
  const cursor = one(query.cursor);
  const after = cursor === undefined ? '' : Buffer.from(cursor, 'base64url').toString('utf8');
  const start = cursor === undefined ? 0 : all.findIndex(({ id }) => id === after) + 1;
  if (cursor !== undefined && start === 0)
    return problem(reply, 400, 'No such cursor', {
      detail: 'cursors are good for as long as their piece is there',
    });
  const pieces = all.slice(start, start + size);
  const more = start + size < all.length;
  return sendJson(reply, 200, {
    pieces: pieces.map((piece) => shown(piece, fields)),
    next_cursor: more ? Buffer.from(pieces.at(-1)!.id).toString('base64url') : null,
  });
}

type Draft = Pick<Piece, 'name' | 'rack' | 'glaze' | 'cone' | 'price' | 'state'>;

/** Reads what a client sends of a piece; a text says what is wrong. */
function readDraft(text: string, base: Draft | undefined): Draft | string {
  let given: unknown;
  try {
    given = readJson(text);
  } catch {
    return 'the body is not JSON';
  }
  if (typeof given !== 'object' || given === null || Array.isArray(given)) return 'the body is an object';
  const draft = { glaze: null, cone: 4, price: 0, state: 'waiting', ...base, ...given } as Record<
    string,
    unknown
  >;
  if (typeof draft.name !== 'string' || draft.name === '') return 'name is a text';
  if (!(RACKS as readonly unknown[]).includes(draft.rack)) return `rack is one of ${RACKS.join(', ')}`;
  if (draft.glaze !== null && !GLAZES.some(({ name }) => name === draft.glaze))
    return `glaze is null or one of ${GLAZES.map(({ name }) => name).join(', ')}`;
  if (typeof draft.cone !== 'number' || !Number.isInteger(draft.cone) || draft.cone < 1 || draft.cone > 13)
    return 'cone is a whole number from 1 to 13';
  if (!isNumber(draft.price)) return 'price is a number';
  if (!['waiting', 'fired', 'collected'].includes(draft.state as string))
    return 'state is waiting, fired or collected';
  const { name, rack, glaze, cone, price, state } = draft as unknown as Draft;
  return { name, rack, glaze, cone, price, state };
}

export function addPieces(server: FastifyInstance, state: State, guard: Precondition): void {
  const find = (request: FastifyRequest, reply: FastifyReply): Piece | undefined => {
    const { id } = request.params as { id: string };
    const piece = state.pieces.get(id);
    if (!piece) void problem(reply, 404, 'No such piece', { detail: `there is no piece ${id}` });
    return piece;
  };
  /** If-Match and If-None-Match (RFC 9110, section 13.1). */
  const mayChange = (piece: Piece, request: FastifyRequest, reply: FastifyReply): boolean => {
    const wanted = request.headers['if-match'];
    if (wanted === undefined || wanted === '*' || wanted === etag(piece)) return true;
    void problem(reply, 412, 'Changed meanwhile', { detail: `the piece is at ${etag(piece)}` });
    return false;
  };

  server.get('/v1/racks', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const racks = RACKS.map((id) => ({
      id,
      pieces: [...state.pieces.values()].filter(({ rack }) => rack === id).length,
      href: `/v1/racks/${id}/pieces`,
    }));
    return sendJson(reply, 200, { racks });
  });
  server.get('/v1/racks/:rack/pieces', (request, reply) =>
    guard(request, reply) ? listRack(state, request, reply) : reply,
  );
  server.get('/v1/pieces', (request, reply) =>
    guard(request, reply) ? listPieces(state, request, reply) : reply,
  );

  server.get('/v1/pieces/:id', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const piece = find(request, reply);
    if (!piece) return reply;
    void reply.header('etag', etag(piece));
    if (request.headers['if-none-match'] === etag(piece)) return reply.code(304).send();
    return sendJson(reply, 200, shown(piece, one((request.query as Query).fields)));
  });

  server.post('/v1/pieces', (request, reply) => {
    const caller = guard(request, reply);
    if (!caller || !permits(caller, 'pieces:write', reply)) return reply;
    const draft = readDraft(String(request.body), undefined);
    if (typeof draft === 'string') return problem(reply, 422, 'Not a piece', { detail: draft });
    const number = state.next();
    const piece: Piece = {
      id: `n${number}`,
      serial: exact((9_007_199_900_000_001n + BigInt(number)).toString()),
      ...draft,
      glazed: draft.glaze !== null,
      made: '2026-03-01',
      version: 1,
    };
    state.pieces.set(piece.id, piece);
    return sendJson(
      reply.header('location', `/v1/pieces/${piece.id}`).header('etag', etag(piece)),
      201,
      shown(piece),
    );
  });

  const change = (replace: boolean) => (request: FastifyRequest, reply: FastifyReply) => {
    const caller = guard(request, reply);
    if (!caller || !permits(caller, 'pieces:write', reply)) return reply;
    const piece = find(request, reply);
    if (!piece || !mayChange(piece, request, reply)) return reply;
    const draft = readDraft(String(request.body), replace ? undefined : piece);
    if (typeof draft === 'string') return problem(reply, 422, 'Not a piece', { detail: draft });
    Object.assign(piece, draft, { glazed: draft.glaze !== null, version: piece.version + 1 });
    return sendJson(reply.header('etag', etag(piece)), 200, shown(piece));
  };
  server.put('/v1/pieces/:id', change(true));
  server.patch('/v1/pieces/:id', change(false));

  server.delete('/v1/pieces/:id', (request, reply) => {
    const caller = guard(request, reply);
    if (!caller || !permits(caller, 'pieces:write', reply)) return reply;
    const piece = find(request, reply);
    if (!piece || !mayChange(piece, request, reply)) return reply;
    state.pieces.delete(piece.id);
    return reply.code(204).send();
  });
}
