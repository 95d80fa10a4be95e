import type { Formats } from '../core/ports.ts';
import { objectOf, type Value } from '../core/language/values.ts';
import { ProblemError } from '../core/problems.ts';

/** Readers of formats, each loaded when it is first needed. */
export const formats: Formats = {
  async csv(text): Promise<Value> {
    const { parse } = await import('csv-parse/sync');
    try {
      const rows = parse(text, { bom: true, skip_empty_lines: true, relax_column_count: false });
      const [names = [], ...rest] = rows;
      const seen = new Set<string>();
      const twice = names.find((name) => seen.size === seen.add(name).size);
      if (twice !== undefined) throw new Error(`the column ${twice} stands in its first row twice`);
      return rest.map((row) => objectOf(names.map((name, i) => [name, row[i] ?? ''])));
    } catch (error) {
      throw unreadable((error as Error).message);
    }
  },

  async events(text): Promise<Value> {
    const { createParser } = await import('eventsource-parser');
    const events: Value[] = [];
    const parser = createParser({
      onEvent: ({ data, event, id }) =>
        events.push(
          objectOf([
            ['data', data],
            ...(event === undefined ? [] : [['event', event] as const]),
            ...(id === undefined ? [] : [['id', id] as const]),
          ]),
        ),
    });
    parser.feed(text);
    return events;
  },

  xpath: async () => (await import('./xpath.ts')).xpath,
};

function unreadable(message: string): ProblemError {
  return new ProblemError({ code: 'answer-not-as-typed', message });
}
