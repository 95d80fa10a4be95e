import { redirectOf } from '../../core/engine/wire/redirect.ts';
import type { Connection, WireRequest } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { isThisMachine } from '../../core/this-machine.ts';
import { AGENT } from '../http/agent.ts';
import { HttpTransport } from '../http/http.ts';
import { systemClock } from '../world.ts';

/** How long a description may take to come, in milliseconds. */
const PATIENCE = 60_000;
const MOST_REDIRECTS = 5;

/**
 * Fetches a description, without any credential. `connection` says how a service is connected to, for an address of that
 * service. Throws `description-not-fetched`, and what the transport throws.
 */
export async function fetchDescription(
  address: string,
  connection: { readonly origin: string; readonly how: Connection } | undefined,
): Promise<Uint8Array> {
  const transport = new HttpTransport();
  const callbacks: ((reason: Error) => void)[] = [];
  const late = new ProblemError({
    code: 'time-limit',
    message: `${address} gave no description within ${PATIENCE / 1000} s`,
  });
  const cancel = systemClock.timer(PATIENCE, () => callbacks.forEach((callback) => callback(late)));
  const watch = {
    stopped: undefined,
    onStop: (callback: (reason: Error) => void) => void callbacks.push(callback),
    phase: () => undefined,
  };
  try {
    let request: WireRequest = {
      method: 'GET',
      url: address,
      headers: [
        ['user-agent', AGENT],
        ['accept', 'application/json, application/yaml, */*'],
        ['accept-encoding', 'gzip, deflate, br'],
      ],
    };
    for (let redirects = 0; redirects <= MOST_REDIRECTS; redirects++) {
      const { origin, protocol, hostname } = new URL(request.url);
      if (protocol === 'http:' && !isThisMachine(hostname))
        fail('plain-http', `${request.url} would come over plain HTTP, where others can change it`, {
          hint: 'https://, or the description as a file',
        });
      const { connection: _, ...bare } = request;
      const response = await transport.send(
        connection?.origin === origin ? { ...bare, connection: connection.how } : bare,
        watch,
      );
      const next = redirectOf(request, response, undefined);
      if (next) {
        request = next;
        continue;
      }
      if (response.status !== 200)
        fail('description-not-fetched', `${request.url} answered ${response.status}`, {
          hint: 'where it wants a credential, save the description as a file: description: FILE',
        });
      return response.body;
    }
    return fail('too-many-redirects', `${address} is redirected more than ${MOST_REDIRECTS} times`);
  } finally {
    cancel();
    await transport.close();
  }
}
