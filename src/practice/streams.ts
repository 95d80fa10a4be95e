import type { ServerResponse } from 'node:http';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Caller } from './access.ts';
import { drained } from './drained.ts';
import { problem, sendJson } from './problem.ts';
import type { State } from './state.ts';

type Guard = (request: FastifyRequest, reply: FastifyReply) => Caller | undefined;

/** The course of a firing as a kiln reports it: what it does, and how hot it is. */
const COURSE: readonly (readonly [event: string, celsius: number])[] = [
  ['heating', 200],
  ['heating', 480],
  ['heating', 760],
  ['heating', 1040],
  ['soaking', 1240],
  ['soaking', 1241],
  ['cooling', 900],
  ['cooling', 520],
  ['cooling', 180],
  ['done', 60],
];

const ADVICE =
  'Cone 6 suits it. Fire slowly up to 600 degrees, so that the thick foot of the bowl dries through, then go on at 150 an hour and soak for ten minutes.';

/** The service's time between two items, in milliseconds. */
const BETWEEN = 400;

/** Responses that come bit by bit. */
export function addStreams(server: FastifyInstance, state: State, guard: Guard): void {
  // The events of one firing; `cut` breaks the connection off after so many, `forever` goes on without an end.
  server.get('/v1/kiln/watch', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const { cut, forever } = request.query as Record<string, string | undefined>;
    const last = Number(request.headers['last-event-id'] ?? 0);
    return stream(reply, 'text/event-stream', async (write, raw) => {
      await write('retry: 200\n: the course of a firing\n\n');
      for (let nth = last + 1; ; nth++) {
        const step = COURSE[forever === undefined ? nth - 1 : (nth - 1) % COURSE.length];
        if (!step) return;
        await pause(state, BETWEEN);
        await write(`id: ${nth}\nevent: ${step[0]}\ndata: {"kiln":"north","celsius":${step[1]}}\n\n`);
        if (nth - last === Number(cut)) return void raw.destroy();
      }
    });
  });

  // What the sensors of a kiln say, a line each; nothing ends it but `lines`.
  server.get('/v1/kiln/sensors', (request, reply) => {
    if (!guard(request, reply)) return reply;
    const { lines } = request.query as { lines?: string };
    return stream(reply, 'application/x-ndjson', async (write) => {
      for (let nth = 1; nth <= Number(lines ?? Infinity); nth++) {
        await pause(state, BETWEEN / 2);
        await write(`{"nth":${nth},"shelf":${1 + (nth % 3)},"celsius":${900 + ((nth * 37) % 61)}}\n`);
      }
    });
  });

  // What the kiln did since a change, held back until there is something to say.
  server.get('/v1/kiln/changes', async (request, reply) => {
    if (!guard(request, reply)) return reply;
    const after = Number((request.query as { after?: string }).after ?? 0);
    await pause(state, BETWEEN);
    const changes = COURSE.slice(after, after + 2).map(([kiln_state, celsius], i) => ({
      nth: after + i + 1,
      state: kiln_state,
      celsius,
    }));
    return sendJson(reply, 200, { changes, cursor: after + changes.length });
  });

  // Advice that is written word by word.
  server.post('/v1/desk/advice', (request, reply) => {
    if (!guard(request, reply)) return reply;
    let question: unknown;
    try {
      ({ question } = JSON.parse(String(request.body)) as { question?: unknown });
    } catch {
      // no JSON, no question
    }
    if (typeof question !== 'string' || question === '')
      return problem(reply, 422, 'What is the question?', { detail: 'question is a text' });
    return stream(reply, 'text/event-stream', async (write) => {
      for (const word of ADVICE.match(/\S+\s*/g)!) {
        await pause(state, BETWEEN / 8);
        await write(`data: ${JSON.stringify({ text: word })}\n\n`);
      }
      await write('data: [end]\n\n');
    });
  });
}

async function pause({ options }: State, milliseconds: number): Promise<void> {
  await new Promise((resolve) => setTimeout(resolve, milliseconds / options.speed).unref());
}

/** Sends what is written as it is written, until that ends or nobody reads it any more. */
async function stream(
  reply: FastifyReply,
  type: string,
  send: (write: (text: string) => Promise<void>, raw: ServerResponse) => Promise<void>,
): Promise<FastifyReply> {
  reply.hijack();
  const { raw } = reply;
  raw.writeHead(200, { 'content-type': type, 'cache-control': 'no-store' });
  raw.flushHeaders();
  const gone = new Error('nobody reads it any more');
  const write = async (text: string): Promise<void> => {
    if (raw.destroyed) throw gone;
    if (!raw.write(text)) await drained(raw);
  };
  try {
    await send(write, raw);
  } catch (error) {
    if (error !== gone) throw error;
  }
  raw.end();
  return reply;
}
