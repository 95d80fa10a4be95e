import { request as sendOver } from 'node:http';
import type { Socket } from 'node:net';
import type { Http2Handler, Http2Request } from './http2.ts';

/** How long the service may take to say that it wants the body, in milliseconds: a client must not wait without an end. */
const PATIENCE = 1000;

/**
 * Sends a request over a connection of its own, in HTTP/1.1: its body once the service wants it, or has not said anything for a
 * while; not at all where it has answered by then. undici knows no such requests.
 */
export function sendWaiting(
  socket: Socket,
  { body, headers, method, origin, path }: Http2Request,
  handler: Http2Handler,
): void {
  const names = new Set(headers.filter((_, i) => i % 2 === 0).map((one) => one.toLowerCase()));
  const content = body?.();
  const own = [
    ...headers,
    ...(names.has('host') ? [] : ['host', new URL(origin).host]),
    ...(content instanceof Uint8Array && !names.has('content-length')
      ? ['content-length', String(content.length)]
      : []),
    'connection',
    'close',
  ];
  const sending = sendOver({ createConnection: () => socket, method, path, headers: own });
  let isOver = false;
  const end = (work: () => void): void => {
    clearTimeout(timer);
    if (isOver) return;
    isOver = true;
    work();
  };
  let isSent = false;
  const sendBody = (): void => {
    clearTimeout(timer);
    if (isSent || isOver) return;
    isSent = true;
    if (content instanceof Uint8Array) sending.end(content);
    else content?.on('error', (error) => sending.destroy(error)).pipe(sending);
  };
  const timer = setTimeout(sendBody, PATIENCE);
  sending.on('continue', sendBody);
  sending.on('error', (error) => end(() => handler.onError(error)));
  sending.on('response', (response) => {
    clearTimeout(timer);
    const raw = (flat: readonly string[]): Buffer[] => flat.map((one) => Buffer.from(one, 'latin1'));
    handler.onHeaders(response.statusCode!, raw(response.rawHeaders), () => response.resume());
    response.on('data', (chunk: Buffer) => {
      if (!handler.onData(chunk)) response.pause();
    });
    response.on('error', (error) => end(() => handler.onError(error)));
    response.on('end', () => {
      if (!response.complete) return;
      end(() => handler.onComplete(raw(response.rawTrailers)));
      // What was not wanted of the body is never sent.
      socket.destroy();
    });
  });
  handler.onConnect((reason) => {
    end(() => handler.onError(reason));
    sending.destroy(reason);
  });
}
