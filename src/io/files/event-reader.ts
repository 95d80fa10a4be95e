import type { EventReader } from '../../core/ports.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { ProblemError } from '../../core/problems.ts';

/** The most that one event may hold, in UTF-16 units. */
const LONGEST_EVENT = 16 * 1024 * 1024;

/** Reads server-sent events line by line. See [HTML Standard, 9.2.6](https://html.spec.whatwg.org/multipage/server-sent-events.html). */
export async function eventReader(before?: Pick<EventReader, 'lastId' | 'retry'>): Promise<EventReader> {
  const { createParser } = await import('eventsource-parser');
  let events: Value[] = [];
  let retry = before?.retry;
  let lastId = before?.lastId ?? '';
  let idOfBlock: string | undefined;
  const parser = createParser({
    maxBufferSize: LONGEST_EVENT,
    onEvent: ({ data, event, id }) =>
      events.push(
        objectOf([
          ['data', data],
          ...(event === undefined ? [] : [['event', event] as const]),
          ...(id === undefined ? [] : [['id', id] as const]),
        ]),
      ),
    onRetry: (milliseconds) => (retry = milliseconds),
    onError: ({ type }) => {
      if (type === 'max-buffer-size-exceeded')
        throw new ProblemError({
          code: 'body-too-large',
          message: `an event is larger than ${LONGEST_EVENT / 1024 / 1024} MiB, the most that one may hold`,
        });
    },
  });
  return {
    read(lines) {
      if (lines.length === 0) return [];
      for (const line of lines) {
        // An event without data is none, but its id counts; the parser keeps that to itself.
        if (line === '') lastId = idOfBlock ?? lastId;
        else if (line.startsWith('id') && (line.length === 2 || line[2] === ':')) {
          const id = line.slice(3).replace(/^ /, '');
          if (!id.includes('\0')) idOfBlock = id;
        }
      }
      events = [];
      parser.feed(`${lines.join('\n')}\n`);
      return events;
    },
    get lastId() {
      return lastId;
    },
    get retry() {
      return retry;
    },
  };
}
