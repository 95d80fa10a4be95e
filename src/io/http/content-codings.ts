import { pipeline, Readable, type Transform } from 'node:stream';
import { promisify } from 'node:util';
import {
  brotliDecompress,
  createBrotliDecompress,
  createGunzip,
  createInflate,
  createInflateRaw,
  gunzip,
  inflate,
  inflateRaw,
  type InputType,
  type ZlibOptions,
} from 'node:zlib';
import { memberOf } from '../../core/language/values.ts';

/** A content coding (RFC 9110, section 8.4.1), undone at once or while a body comes. */
interface Coding {
  readonly whole: (data: InputType, options: ZlibOptions) => Promise<Buffer>;
  /** A stage of a pipeline. */
  readonly stream: () => Transform | ((source: AsyncIterable<Buffer>) => AsyncGenerator<Buffer>);
}

const GZIP: Coding = { whole: promisify<InputType, ZlibOptions, Buffer>(gunzip), stream: createGunzip };

/** Some services send deflate without the zlib wrapper that RFC 9110, section 8.4.1.2, asks for. */
const DEFLATE: Coding = {
  whole: (data, options) => {
    const bytes = data as Uint8Array;
    const decode = hasWrapper(bytes) ? inflate : inflateRaw;
    return promisify<InputType, ZlibOptions, Buffer>(decode)(data, options);
  },
  stream: () => inflating,
};

const CODINGS: Readonly<Record<string, Coding>> = {
  gzip: GZIP,
  'x-gzip': GZIP,
  deflate: DEFLATE,
  br: {
    whole: promisify<InputType, ZlibOptions, Buffer>(brotliDecompress),
    stream: createBrotliDecompress,
  },
};

/** The header of zlib (RFC 1950, section 2.2): its method, and a check of both bytes. */
function hasWrapper(bytes: Uint8Array): boolean {
  return bytes.length < 2 || ((bytes[0]! & 15) === 8 && ((bytes[0]! << 8) | bytes[1]!) % 31 === 0);
}

/** Undoes deflate, with the wrapper of zlib or without, as its first two bytes say; no faster than it is taken. */
async function* inflating(source: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  const chunks = source[Symbol.asyncIterator]();
  let first: Buffer = Buffer.alloc(0);
  while (first.length < 2) {
    const next = await chunks.next();
    if (next.done === true) break;
    first = Buffer.concat([first, next.value]);
  }
  if (first.length === 0) return;
  const whole = async function* (): AsyncGenerator<Buffer> {
    yield first;
    for (;;) {
      const next = await chunks.next();
      if (next.done === true) return;
      yield next.value;
    }
  };
  const decoder = hasWrapper(first) ? createInflate() : createInflateRaw();
  // What goes wrong reaches whoever reads from it.
  yield* pipeline(Readable.from(whole()), decoder, () => undefined) as AsyncIterable<Buffer>;
}

/** What the codings of a body are: those that can be undone, the last one first, and one that can't, with all before it. */
export function codingsOf(encoding: string | undefined): {
  readonly known: readonly { readonly name: string; readonly coding: Coding }[];
  readonly unknown?: string;
} {
  const known: { name: string; coding: Coding }[] = [];
  for (const name of (encoding ?? '')
    .split(',')
    .map((one) => one.trim().toLowerCase())
    .reverse()) {
    if (name === '' || name === 'identity') continue;
    const coding = memberOf(CODINGS, name);
    if (!coding) return { known, unknown: name };
    known.push({ name, coding });
  }
  return { known };
}
