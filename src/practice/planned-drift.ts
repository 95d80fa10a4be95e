import type { FastifyReply, FastifyRequest } from 'fastify';
import { LosslessNumber } from 'lossless-json';
import { isNumber, readJson, writePracticeJson } from './json.ts';

/** What is otherwise than described in a response. */
export type DriftKind =
  /** A member, or a header, is not there. */
  | 'gone'
  /** A number or a truth is a text. */
  | 'text'
  | 'null'
  /** A text is a number. */
  | 'number'
  /** A whole number is none. */
  | 'fraction'
  /** A member more than described. */
  | 'extra'
  /** A text is none of those that are described, or has another form. */
  | 'other'
  /** Another status, or another content type. */
  | 'status'
  | 'type';

/** One way in which the service answers otherwise than its description says. */
export interface PlannedDrift {
  /** The operation, as it is described. */
  readonly operation: string;
  readonly status: number;
  readonly kind: DriftKind;
  /** A path in the body, the name of a header behind `header:`, or the other status or content type. */
  readonly at: string;
}

/** Each is told apart by where it is. */
export const DRIFTS: readonly PlannedDrift[] = `
GET /v1/racks                 200 text     racks[0].pieces
GET /v1/racks                 200 gone     racks[1].href
GET /v1/racks                 200 extra    racks[2].open
GET /v1/racks/{rack}/pieces   200 gone     rack
GET /v1/racks/{rack}/pieces   200 text     pieces[0].price
GET /v1/racks/{rack}/pieces   200 fraction pieces[1].cone
GET /v1/pieces                200 text     pieces[0].serial
GET /v1/pieces                200 null     pieces[1].name
GET /v1/pieces                200 number   next_cursor
POST /v1/pieces               201 text     price
POST /v1/pieces               201 gone     href
POST /v1/pieces               201 gone     header:location
GET /v1/pieces/{id}           200 text     cone
GET /v1/pieces/{id}           200 null     price
GET /v1/pieces/{id}           200 gone     header:etag
GET /v1/pieces/{id}           404 text     status
PUT /v1/pieces/{id}           200 other    state
PUT /v1/pieces/{id}           200 text     glazed
PUT /v1/pieces/{id}           200 other    made
PATCH /v1/pieces/{id}         200 extra    weight
DELETE /v1/pieces/{id}        204 status   200
GET /v1/glazes                200 text     [0].cone
GET /v1/glazes                200 gone     [1].colour
GET /v1/glazes/{name}         200 text     price
GET /v1/glazes/{name}         404 gone     title
POST /v1/firings              202 other    state
POST /v1/firings              202 gone     header:retry-after
GET /v1/firings/{id}          200 gone     piece
GET /v1/firings/{id}          200 fraction cone
GET /v1/daylight              200 text     light.from
GET /v1/daylight              200 gone     drying_hours
GET /v1/daylight              400 status   418
GET /v1/office/orders         200 number   orders[0].pieces[0]
GET /v1/office/orders         200 text     orders[1].paid
GET /v1/archive/firings       200 gone     firings[0].cracked
GET /v1/studio/plans          200 null     plans[0].kiln
POST /v1/token                200 text     expires_in
POST /v1/device               200 gone     interval
PUT /v1/pieces/{id}/photo     201 gone     sha256
GET /v1/catalogue             200 type     text/plain
`
  .trim()
  .split('\n')
  .map((line) => {
    const [method, path, status, kind, at] = line.split(/ +/) as [string, string, string, DriftKind, string];
    return { operation: `${method} ${path}`, status: Number(status), kind, at };
  });

/** Makes a response drift; gives what is sent in its place. */
export function drifted(request: FastifyRequest, reply: FastifyReply, payload: unknown): unknown {
  const path = (request.routeOptions.url ?? '').replace(/:(\w+)/g, '{$1}');
  const operation = `${request.method} ${path}`;
  const { statusCode } = reply;
  const own = DRIFTS.filter((drift) => drift.operation === operation && drift.status === statusCode);
  if (own.length === 0) return payload;
  let body = payload;
  for (const { at, kind } of own) {
    if (kind === 'status') {
      void reply.code(Number(at));
      if (at === '200') body = '{}';
      if (at === '200') void reply.header('content-type', 'application/json');
    } else if (kind === 'type') void reply.header('content-type', at);
    else if (at.startsWith('header:')) void reply.removeHeader(at.slice('header:'.length));
    else if (typeof body === 'string' && /json/.test(String(reply.getHeader('content-type'))))
      body = writePracticeJson(changed(readJson(body), at, kind));
  }
  if (body !== payload) void reply.removeHeader('content-length');
  return body;
}

/** A value with one place in it changed; as it was where there is no such place. */
function changed(value: unknown, at: string, kind: DriftKind): unknown {
  const steps = [...at.matchAll(/\[(\d+)\]|(\w+)/g)].map(([, index, name]) => index ?? name!);
  const last = steps.pop()!;
  const holder = steps.reduce<unknown>(
    (inner, step) => (inner as Record<string, unknown> | undefined)?.[step],
    value,
  ) as Record<string, unknown> | undefined;
  if (typeof holder !== 'object') return value;
  if (kind === 'extra') holder[last] = 'yes';
  if (kind === 'extra' || !(last in holder)) return value;
  if (kind === 'gone') Reflect.deleteProperty(holder, last);
  else holder[last] = otherwise(holder[last], kind);
  return value;
}

function otherwise(value: unknown, kind: DriftKind): unknown {
  switch (kind) {
    case 'text':
      return isNumber(value) ? value.toString() : String(value);
    case 'number':
      return 7;
    case 'fraction':
      return new LosslessNumber(`${Number(String(value))}.5`);
    case 'other':
      return 'resting';
    default:
      return null;
  }
}
