import { createHash } from 'node:crypto';
import type { FastifyReply } from 'fastify';
import { sendJson } from './problem.ts';
import type { State } from './state.ts';

/** An error of the token endpoint (RFC 6749, section 5.2). */
export function refuse(
  reply: FastifyReply,
  status: number,
  error: string,
  description: string,
): FastifyReply {
  void reply.header('cache-control', 'no-store');
  if (status === 401) void reply.header('www-authenticate', 'Basic realm="emberfold"');
  return sendJson(reply, status, { error, error_description: description });
}

/** Answers with a new token, and a refresh token where a person has let the client in. */
export function grant(
  state: State,
  client: string,
  scope: string,
  { reply, refreshable }: { readonly reply: FastifyReply; readonly refreshable: boolean },
): FastifyReply {
  const random = (what: string): string =>
    createHash('sha256')
      .update(`${state.options.seed} ${what} ${state.next()}`)
      .digest('base64url')
      .slice(0, 32);
  const token = `emb_${random('token')}`;
  const refresh = `emr_${random('refresh')}`;
  state.tokens.set(token, { client, scope, until: state.now() + state.options.tokenLife * 1000 });
  if (refreshable) state.refresh.set(refresh, { client, scope });
  void reply.header('cache-control', 'no-store');
  return sendJson(reply, 200, {
    access_token: token,
    token_type: 'Bearer',
    expires_in: state.options.tokenLife,
    scope,
    ...(refreshable ? { refresh_token: refresh } : {}),
  });
}
