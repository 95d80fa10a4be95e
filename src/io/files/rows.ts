import { createReadStream, type ReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { dirname, isAbsolute, resolve } from 'node:path';
import { parseJson } from '../../core/language/json.ts';
import { isObject, objectOf, type ValueObject } from '../../core/language/values.ts';
import type { Rows, RowSource, WrittenRow } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { LEADS_OUT } from './files.ts';
import { notWritten } from './local-sink.ts';
import { leadsOut } from '../secrets/own-folder.ts';

/** Files of rows on this machine: CSV (RFC 4180), JSON Lines, or a JSON list. */
export const localRows: Rows = {
  async open(path, near): Promise<RowSource> {
    const whole = resolve(dirname(resolve(near)), path);
    const found = await stat(whole).catch(() => undefined);
    if (found && leadsOut(path, dirname(resolve(near)))) throw unreadable(path, LEADS_OUT);
    // A pipe may never end; one that a person names by its whole path is meant.
    if (found && !found.isFile() && (found.isDirectory() || !isAbsolute(path)))
      throw unreadable(path, 'it is no file');
    if (!found) {
      throw new ProblemError({
        code: 'file-not-found',
        message: `there is no file ${path} with rows`,
        hint: 'a path begins at the folder of the chain file',
      });
    }
    // A pipe has no size.
    const reading: Reading = { size: found.isFile() ? found.size : 0 };
    if (/\.jsonl$|\.ndjson$/i.test(path)) return new BufferedRows(lines(whole, path, reading), path, reading);
    if (/\.json$/i.test(path)) return new BufferedRows(list(whole, path), path, { size: 0 });
    return new BufferedRows(await csv(whole, reading), path, reading);
  },
  async write(path, near, row): Promise<WrittenRow> {
    if (leadsOut(path, dirname(resolve(near)))) throw notWritten(path, new Error(LEADS_OUT));
    const { putRow: writeRow } = await import('./row-files.ts');
    return writeRow(resolve(dirname(resolve(near)), path), path, row);
  },
};

/** How far a file has been read. */
interface Reading {
  /** In bytes; 0 where it is not known. */
  readonly size: number;
  stream?: ReadStream;
}

/** Rows from a source that gives several at once, so that most of them cost no waiting. */
class BufferedRows implements RowSource {
  readonly #chunks: AsyncIterator<ValueObject[]>;
  readonly #path: string;
  readonly #reading: Reading;
  #buffer: ValueObject[] = [];
  #at = 0;
  #next: Promise<boolean> | undefined;

  constructor(chunks: AsyncIterable<ValueObject[]>, path: string, reading: Reading) {
    this.#reading = reading;
    this.#chunks = chunks[Symbol.asyncIterator]();
    this.#path = path;
  }

  share(): number | undefined {
    const { size, stream } = this.#reading;
    return size > 0 && stream ? Math.min(1, stream.bytesRead / size) : undefined;
  }

  next(): ValueObject | undefined | Promise<ValueObject | undefined> {
    if (this.#at < this.#buffer.length) return this.#buffer[this.#at++];
    return this.#later();
  }

  async #later(): Promise<ValueObject | undefined> {
    for (;;) {
      if (this.#at < this.#buffer.length) return this.#buffer[this.#at++];
      // Several iterations may ask at the same time, and the file is read once.
      const more = await (this.#next ??= this.#read().finally(() => (this.#next = undefined)));
      if (!more) return undefined;
    }
  }

  async #read(): Promise<boolean> {
    try {
      const next = await this.#chunks.next();
      if (next.done === true) return false;
      this.#buffer = next.value;
      this.#at = 0;
      return true;
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      throw unreadable(this.#path, (error as Error).message);
    }
  }

  async close(): Promise<void> {
    await this.#chunks.return?.();
  }
}

const CHUNK = 100;
/**
 * A file is read in small pieces, in bytes: what is made of one lives until its last row, and what lives long takes memory
 * that is given back late.
 */
const PIECE = 4096;

async function csv(path: string, reading: Reading): Promise<AsyncIterable<ValueObject[]>> {
  const { parse } = await import('csv-parse');
  return {
    async *[Symbol.asyncIterator]() {
      reading.stream = createReadStream(path, { highWaterMark: PIECE });
      const parser = reading.stream.pipe(parse({ bom: true, skip_empty_lines: true }));
      let names: string[] | undefined;
      let chunk: ValueObject[] = [];
      for await (const cells of parser as AsyncIterable<string[]>) {
        if (!names) {
          names = cells;
          const seen = new Set<string>();
          const twice = names.find((name) => seen.size === seen.add(name).size);
          if (twice !== undefined)
            throw unreadable(path, `the column ${twice} occurs twice in its first row`);
          continue;
        }
        const header = names;
        chunk.push(objectOf(header.map((name, i): [string, string] => [name, cells[i] ?? ''])));
        if (chunk.length === CHUNK) {
          yield chunk;
          chunk = [];
        }
      }
      yield chunk;
    },
  };
}

async function* lines(path: string, shown: string, reading: Reading): AsyncIterable<ValueObject[]> {
  let chunk: ValueObject[] = [];
  let number = 0;
  const { createInterface } = await import('node:readline');
  reading.stream = createReadStream(path, { highWaterMark: PIECE });
  for await (const line of createInterface({ input: reading.stream, crlfDelay: Infinity })) {
    number++;
    if (line.trim() === '') continue;
    chunk.push(rowOf(line, `${shown}:${number}`));
    if (chunk.length === CHUNK) {
      yield chunk;
      chunk = [];
    }
  }
  yield chunk;
}

async function* list(path: string, shown: string): AsyncIterable<ValueObject[]> {
  const chunks: Buffer[] = [];
  for await (const chunk of createReadStream(path) as AsyncIterable<Buffer>) chunks.push(chunk);
  const value = parsed(Buffer.concat(chunks).toString('utf8'), shown);
  if (!Array.isArray(value) || !value.every(isObject)) throw unreadable(shown, 'it is no list of objects');
  yield value;
}

function rowOf(text: string, where: string): ValueObject {
  const value = parsed(text, where);
  if (isObject(value)) return value;
  throw unreadable(where, 'a row is an object');
}

function parsed(text: string, where: string): ReturnType<typeof parseJson> {
  try {
    return parseJson(text);
  } catch (error) {
    throw unreadable(where, (error as Error).message);
  }
}

function unreadable(where: string, why: string): ProblemError {
  return new ProblemError({
    code: 'response-not-as-typed',
    message: `the rows of ${where} can't be read: ${why}`,
  });
}
