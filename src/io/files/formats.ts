import type { Formats } from '../../core/ports.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { eventReader } from './event-reader.ts';
import { ProblemError } from '../../core/problems.ts';

/** Readers of formats, each loaded when it is first needed. */
export const formats: Formats = {
  async csv(text, separator = ','): Promise<Value> {
    const { parse } = await import('csv-parse/sync');
    try {
      const rows = parse(text, {
        bom: true,
        delimiter: separator,
        skip_empty_lines: true,
        relax_column_count: false,
      });
      const [names = [], ...rest] = rows;
      const seen = new Set<string>();
      const twice = names.find((name) => seen.size === seen.add(name).size);
      if (twice !== undefined) throw new Error(`the column ${twice} occurs twice in its first row`);
      return rest.map((row) => objectOf(names.map((name, i) => [name, row[i] ?? ''])));
    } catch (error) {
      throw unreadable(csvMessage(error as CsvProblem, text, separator));
    }
  },

  async charset(name) {
    const { default: iconv } = await import('iconv-lite');
    return iconv.encodingExists(name) ? (bytes) => iconv.decode(Buffer.from(bytes), name) : undefined;
  },

  async textDecoder(charset) {
    const { default: iconv } = await import('iconv-lite');
    if (!iconv.encodingExists(charset)) return undefined;
    const decoder = iconv.getDecoder(charset);
    return {
      decode: (piece) => decoder.write(Buffer.from(piece)),
      end: () => decoder.end() ?? '',
    };
  },

  eventReader,

  markup: async () => (await import('./read-markup.ts')).markup,
};

interface CsvProblem extends Error {
  readonly code?: string;
  readonly lines?: number;
}

/** What is wrong with CSV, in words of ours. */
function csvMessage({ code, lines, message }: CsvProblem, text: string, separator: string): string {
  if (code === 'CSV_RECORD_INCONSISTENT_FIELDS_LENGTH' || code === 'CSV_RECORD_INCONSISTENT_COLUMNS') {
    const [head = ''] = text.slice(0, 4096).split(/\r?\n/, 1);
    const other = [';', '\t', '|', ','].find((one) => one !== separator && head.split(one).length > 2);
    const hint =
      other === undefined
        ? ''
        : `; its first row looks as if cells were separated by ${JSON.stringify(other)}: read-as: { csv: ${JSON.stringify(other)} }`;
    return `line ${lines ?? '?'} has another number of cells than the first row${hint}`;
  }
  if (code === 'CSV_QUOTE_NOT_CLOSED') return 'a quote is not closed';
  if (code === 'INVALID_OPENING_QUOTE' || code === 'CSV_INVALID_CLOSING_QUOTE')
    return `line ${lines ?? '?'} has a quote inside a cell that does not begin with one`;
  return message;
}

function unreadable(message: string): ProblemError {
  return new ProblemError({ code: 'response-not-as-typed', message });
}
