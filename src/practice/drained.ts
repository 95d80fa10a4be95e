import type { ServerResponse } from 'node:http';

/** When a response takes more, or nobody reads it any more. */
export function drained(response: ServerResponse): Promise<void> {
  return new Promise((resolve) => {
    const done = (): void => {
      response.off('drain', done).off('close', done);
      resolve();
    };
    response.on('drain', done).on('close', done);
  });
}
