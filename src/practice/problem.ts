import type { FastifyReply } from 'fastify';
import { writePracticeJson } from './json.ts';

/** Answers with problem details (RFC 9457). */
export function problem(
  reply: FastifyReply,
  status: number,
  title: string,
  {
    detail,
    more = {},
  }: { readonly detail?: string | undefined; readonly more?: Record<string, unknown> | undefined } = {},
): FastifyReply {
  return reply
    .code(status)
    .header('content-type', 'application/problem+json')
    .send(
      writePracticeJson({
        type: 'about:blank',
        title,
        status,
        ...(detail === undefined ? {} : { detail }),
        ...more,
      }),
    );
}

/** Answers with a page, as services do that were built by somebody else. */
export function page(reply: FastifyReply, status: number, title: string, text: string): FastifyReply {
  return reply
    .code(status)
    .header('content-type', 'text/html; charset=utf-8')
    .send(
      `<!doctype html>\n<html><head><title>${title}</title></head><body><h1>${title}</h1><p>${text}</p></body></html>\n`,
    );
}

export function sendJson(reply: FastifyReply, status: number, value: unknown): FastifyReply {
  return reply.code(status).header('content-type', 'application/json').send(writePracticeJson(value));
}
