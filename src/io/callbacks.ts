import { randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { CallbackSetting as CallbacksSetting } from '../core/chain/project.ts';
import type { ArrivedRequest, Callbacks } from '../core/ports.ts';
import { ProblemError } from '../core/problems.ts';

/** The most that is taken of one body, in bytes. */
const LARGEST_BODY = 8 * 1024 * 1024;

type Take = (arrived: ArrivedRequest) => Promise<number>;

/** One listener for all steps that wait for a callback; opened when the first one does. */
export class CallbackListener implements Callbacks {
  readonly #setting: CallbacksSetting;
  readonly #takers = new Map<string, Take>();
  #server: Promise<{ server: Server; base: string }> | undefined;

  constructor(setting: CallbacksSetting = { host: '127.0.0.1', port: 0 }) {
    this.#setting = setting;
  }

  async open(take: Take): Promise<{ readonly url: string; close(): void }> {
    const { base } = await (this.#server ??= this.#listen());
    // Whoever calls back knows the address from us, and nobody can guess it.
    const id = randomBytes(12).toString('hex');
    this.#takers.set(id, take);
    return { url: `${base}/${id}`, close: () => this.#takers.delete(id) };
  }

  async #listen(): Promise<{ server: Server; base: string }> {
    const { host, port, publicUrl } = this.#setting;
    const server = createServer((request, response) => {
      this.#response(request).then(
        (status) => response.writeHead(status).end(),
        () => response.writeHead(500).end(),
      );
    });
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, host.replace(/^\[|\]$/g, ''), resolve);
    }).catch((error: unknown) => {
      this.#server = undefined;
      throw new ProblemError({
        code: 'listener-failed',
        message: `the listener for callbacks can't be opened at ${host}:${port}: ${(error as Error).message}`,
        hint: 'callbacks: { listen: 127.0.0.1:0 } in the project file takes a free port',
      });
    });
    server.unref();
    const { port: taken } = server.address() as AddressInfo;
    return { server, base: publicUrl?.replace(/\/+$/, '') ?? `http://${host}:${taken}` };
  }

  async #response(request: IncomingMessage): Promise<number> {
    const id = /\/([0-9a-f]{24})(?:[/?]|$)/.exec(request.url ?? '')?.[1];
    const take = id === undefined ? undefined : this.#takers.get(id);
    if (!take) return 404;
    const chunks: Buffer[] = [];
    let size = 0;
    try {
      for await (const chunk of request as AsyncIterable<Buffer>) {
        size += chunk.length;
        if (size > LARGEST_BODY) return 413;
        chunks.push(chunk);
      }
    } catch {
      return 400; // broken off: nobody will read this
    }
    const headers: [string, string][] = [];
    for (let i = 0; i + 1 < request.rawHeaders.length; i += 2)
      headers.push([request.rawHeaders[i]!.toLowerCase(), request.rawHeaders[i + 1]!]);
    const { base } = (await this.#server)!;
    const path = request.url!.slice(request.url!.indexOf(`/${id!}`));
    return take({
      method: request.method ?? 'POST',
      url: base + path,
      headers,
      body: Buffer.concat(chunks),
    });
  }

  async close(): Promise<void> {
    const open = await this.#server?.catch(() => undefined);
    open?.server.close();
    open?.server.closeAllConnections();
  }
}
