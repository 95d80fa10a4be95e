import type { Transport } from '../src/core/ports.ts';

/** Answers at once with a body of JSON, so that what is left is the engine's own work. */
export function instantTransport(json: unknown): Transport {
  const body = new TextEncoder().encode(JSON.stringify(json));
  return {
    send: (_, watch) => {
      watch.phase('firstByte');
      watch.phase('body');
      return Promise.resolve({
        status: 200,
        headers: [['content-type', 'application/json']],
        body,
        phases: {},
      });
    },
  };
}
