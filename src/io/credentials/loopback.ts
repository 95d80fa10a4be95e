import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { fail } from '../../core/problems.ts';

const PAGE =
  '<!doctype html><meta charset="utf-8"><title>Signed in</title><p>The response has arrived. You can close this page and go back to the terminal.</p>';

/** Waits on a loopback port for the browser to come back (RFC 8252, section 7.3). */
export async function listenForRedirect(
  port: number,
): Promise<{ readonly address: string; readonly redirected: Promise<URL>; close(): void }> {
  let arrived = (_: URL): void => undefined;
  const redirected = new Promise<URL>((resolve) => (arrived = resolve));
  const server = createServer((request, response) => {
    // Any page on this machine may ask for anything.
    const url = URL.canParse(request.url ?? '/', address) ? new URL(request.url ?? '/', address) : undefined;
    if (!url) {
      response.writeHead(400).end();
      return;
    }
    if (url.pathname !== '/callback') {
      response.writeHead(404).end();
      return;
    }
    response.writeHead(200, {
      'content-type': 'text/html; charset=utf-8',
      'content-security-policy': "default-src 'none'",
    });
    response.end(PAGE);
    arrived(url);
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  }).catch((error: unknown) =>
    fail(
      'sign-in-failed',
      `the port ${port} for the way back from the browser can't be used: ${(error as Error).message}`,
      {
        hint: 'another port:, or none where the service takes any',
      },
    ),
  );
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/callback`;
  return {
    address,
    redirected,
    close: () => {
      server.close();
      server.closeAllConnections();
    },
  };
}
