import { countOf } from '../../count-of.ts';
import { fromUtf8 } from '../../language/encodings.ts';
import { parseJson } from '../../language/json.ts';
import { shorten, visible } from '../../language/show.ts';
import { type Maybe, memberOf, type Value } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import { isTextType, JSON_TYPE, TEXT_TYPE } from '../../text-types.ts';
import { type ReadAs, STREAMED_AS, type StreamedAs } from '../../chain/model.ts';
import type { Formats, HeaderList } from '../../ports.ts';

/** The body of a response, read. */
export interface ReadBody {
  /** `$`: the value of JSON, a text, or bytes; undefined if there is no body. */
  readonly value: Maybe;
  /** The body as text, where it is text. */
  readonly text?: string;
  /** The media type without parameters. */
  readonly type?: string;
  /** Why it could not be read as what it should be, and what came. */
  readonly problem?: { readonly expected: string; readonly got: string };
}

export function headerValue(headers: HeaderList, name: string): string | undefined {
  let joined: string | undefined;
  for (const [other, value] of headers)
    if (other === name) joined = joined === undefined ? value : `${joined}, ${value}`;
  return joined;
}

/** A media type without parameters, in small letters, and its charset (RFC 9110, section 8.3). */
interface ContentType {
  readonly field: string;
  readonly type?: string;
  readonly charset?: string;
}

/** The last one: responses of one service are mostly of one type. */
let known: ContentType = { field: '' };

/** The media type of a body, and its charset. */
export function contentTypeOf(headers: HeaderList): ContentType {
  const field = headerValue(headers, 'content-type') ?? '';
  if (field === known.field) return known;
  const type = /^\s*([^\s;,]+)/.exec(field)?.[1]?.toLowerCase();
  const charset = /;\s*charset\s*=\s*"?([^\s";]+)/i.exec(field)?.[1];
  known = {
    field,
    ...(type === undefined ? {} : { type }),
    ...(charset === undefined ? {} : { charset }),
  };
  return known;
}

const SAYS: Readonly<Record<string, ReadAs>> = {
  'text/csv': 'csv',
  'text/event-stream': 'events',
  'application/x-ndjson': 'json-lines',
  'application/ndjson': 'json-lines',
  'application/jsonl': 'json-lines',
  'application/x-jsonlines': 'json-lines',
  'application/json-lines': 'json-lines',
};

/** What a response is streamed as: as the step wants, or by its content type; undefined where that has no items. */
export function streamedAs(readAs: ReadAs | undefined, type: string | undefined): StreamedAs | undefined {
  const wanted = readAs ?? (type === undefined ? 'lines' : memberOf(SAYS, type));
  const as = STREAMED_AS.find((one) => one === wanted);
  if (as || wanted !== undefined || type === undefined) return as;
  if (JSON_TYPE.test(type) || type === 'application/json-seq') return 'json-lines';
  return isTextType(type) && !/\bx?html\b/.test(type) ? 'lines' : undefined;
}

/** How the step wants a body to be read. */
export interface Reading {
  readonly readAs?: ReadAs;
  /** What separates the cells of CSV. */
  readonly separator?: string;
}

/**
 * Reads a body by its content type, or as the step wants. Returns a promise only where a reader has to be loaded first: a
 * microtask less for most responses.
 */
export function readResponseBody(
  headers: HeaderList,
  bytes: Uint8Array,
  reading: Reading,
  formats: Formats,
): ReadBody | Promise<ReadBody> {
  const charset = bytes.length === 0 ? undefined : charsetOf(headers, bytes, reading.readAs);
  if (charset === undefined || reading.readAs === 'bytes')
    return readIn(headers, bytes, reading, { formats });
  return formats
    .charset(charset)
    .then((decode) =>
      readIn(headers, bytes, reading, { formats, decoded: { charset, text: decode?.(bytes) } }),
    );
}

/** A text that was in another charset than UTF-8; undefined where that is not known. */
interface Decoded {
  readonly charset: string;
  readonly text: string | undefined;
}

function readIn(
  headers: HeaderList,
  bytes: Uint8Array,
  { readAs, separator }: Reading,
  { formats, decoded }: { readonly formats: Formats; readonly decoded?: Decoded | undefined },
): ReadBody | Promise<ReadBody> {
  const { type } = contentTypeOf(headers);
  const as = readAs ?? (type === undefined ? undefined : memberOf(SAYS, type));
  if (as !== 'csv' && as !== 'lines' && as !== 'events' && as !== 'json-lines')
    return readPlain(headers, bytes, as === 'xml' || as === 'html' ? 'text' : as, decoded);
  const plain = readPlain(headers, bytes, 'text', decoded);
  if (plain.text === undefined) return plain;
  if (as === 'lines') return { ...plain, value: linesOf(plain.text) };
  if (as === 'json-lines') return readJsonLines(plain, readAs !== undefined);
  return readWith(
    (text) => (as === 'csv' ? formats.csv(text, separator) : eventsOf(text, formats)),
    plain,
    as,
    readAs !== undefined,
  );
}

async function eventsOf(text: string, formats: Formats): Promise<Value[]> {
  return (await formats.eventReader()).read(linesOf(text));
}

function linesOf(text: string): string[] {
  const lines = text.split(/\r\n|\n|\r/);
  if (lines.at(-1) === '') lines.pop();
  return lines;
}

/** A JSON value a line; empty lines are none. */
function readJsonLines(plain: ReadBody, asked: boolean): ReadBody {
  const lines = linesOf(plain.text!);
  const values: Value[] = [];
  for (const [i, line] of lines.entries()) {
    if (line.trim() === '') continue;
    try {
      values.push(parseJson(line));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return {
        ...plain,
        value: undefined,
        problem: {
          expected: `JSON on each line, as ${asked ? 'read-as' : 'its content type'} says`,
          got: `line ${i + 1}: ${error.problem.message}`,
        },
      };
    }
  }
  return { ...plain, value: values };
}

async function readWith(
  read: (text: string) => Promise<Value>,
  plain: ReadBody,
  as: 'csv' | 'events',
  asked: boolean,
): Promise<ReadBody> {
  try {
    return { ...plain, value: await read(plain.text!) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const what = as === 'csv' ? 'CSV' : 'server-sent events';
    const got = /^\s*</.test(plain.text!) ? describeText(plain.text!, plain.type) : error.problem.message;
    const { value: _, ...rest } = plain;
    return {
      ...rest,
      value: undefined,
      problem: { expected: asked ? `${what}, as read-as says` : `${what}, as its content type says`, got },
    };
  }
}

function readPlain(
  headers: HeaderList,
  bytes: Uint8Array,
  readAs: 'json' | 'text' | 'bytes' | undefined,
  decoded: Decoded | undefined,
): ReadBody {
  const { type } = contentTypeOf(headers);
  const charset = decoded?.charset;
  const withType = type === undefined ? {} : { type };
  if (bytes.length === 0 && readAs !== 'bytes' && readAs !== 'text') return { value: undefined, ...withType };
  const isJson = readAs === 'json' || (readAs === undefined && type !== undefined && JSON_TYPE.test(type));
  const isText = readAs === 'text' || (readAs === undefined && type !== undefined && TEXT_TYPE.test(type));
  if (readAs === 'bytes') return { value: bytes, ...withType };
  const text = decoded ? decoded.text : decode(bytes);
  if (isJson) {
    if (text === undefined)
      return {
        value: undefined,
        ...withType,
        problem: { expected: 'JSON', got: noText(bytes, charset) },
      };
    try {
      return { value: parseJson(text), text, ...withType };
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const looksOther = /^\s*</.test(text);
      const got = looksOther ? describeText(text, type) : error.problem.message;
      return {
        value: undefined,
        text,
        ...withType,
        problem: {
          expected:
            readAs === 'json' ? 'JSON, as read-as says' : `JSON, as its content type ${type ?? ''} says`,
          got,
        },
      };
    }
  }
  if (readAs === 'text' && text === undefined)
    return { value: undefined, ...withType, problem: { expected: 'text', got: noText(bytes, charset) } };
  if (isText) return text === undefined ? { value: bytes, ...withType } : { value: text, text, ...withType };
  return { value: bytes, ...withType, ...(text === undefined ? {} : { text }) };
}

/** Why bytes can't be read as text. */
function noText({ length }: Uint8Array, charset = 'utf-8'): string {
  const bytes = countOf(length, 'byte');
  return /^utf-?8$/i.test(charset)
    ? `${bytes} that ${length === 1 ? 'is' : 'are'} not UTF-8`
    : `${bytes} that can't be read in the charset ${visible(charset)}`;
}

/** Marks at the beginning of a text in UTF-16 (RFC 2781, section 3.2), and what XML without one begins with. */
const UTF_16: readonly (readonly [first: number, second: number, charset: string])[] = [
  [0xfe, 0xff, 'utf-16be'],
  [0xff, 0xfe, 'utf-16le'],
  [0x00, 0x3c, 'utf-16be'],
  [0x3c, 0x00, 'utf-16le'],
];

/** The charset of a text where it is not UTF-8: as its first bytes, its content type, its XML declaration or its page say. */
function charsetOf(headers: HeaderList, bytes: Uint8Array, readAs: ReadAs | undefined): string | undefined {
  const { type, charset } = contentTypeOf(headers);
  const isXml = type !== undefined && /[/+]xml$/.test(type);
  const isText = isXml || (type !== undefined && isTextType(type));
  const marked = UTF_16.find(
    ([first, second], i) => bytes[0] === first && bytes[1] === second && (isXml || (isText && i < 2)),
  );
  const isHtml = readAs === 'html' || type === 'text/html';
  const named =
    marked?.[2] ?? charset ?? (isXml ? xmlEncoding(bytes) : isHtml ? htmlEncoding(bytes) : undefined);
  return named === undefined || /^(?:utf-?8|us-ascii)$/i.test(named) ? undefined : named;
}

/** The encoding that a page names in its first bytes (HTML Standard, 13.2.3.2). */
function htmlEncoding(bytes: Uint8Array): string | undefined {
  const head = String.fromCharCode(...bytes.subarray(0, 1024));
  return /<meta\b[^>]*\bcharset\s*=\s*["']?([A-Za-z0-9._-]+)/i.exec(head)?.[1];
}

/** The encoding that an XML declaration names (XML 1.0, section 4.3.3). */
function xmlEncoding(bytes: Uint8Array): string | undefined {
  const head = String.fromCharCode(...bytes.subarray(0, 100));
  return /^\s*<\?xml[^>]*\bencoding\s*=\s*["']([A-Za-z0-9._-]+)["']/.exec(head)?.[1];
}

/** Bytes as UTF-8, without a mark at their beginning; undefined if they are none. */
function decode(bytes: Uint8Array): string | undefined {
  const text = fromUtf8(bytes);
  return text !== undefined && text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
}

/** So much of a page is looked at for its title, in UTF-16 units. */
const HEAD = 64 * 1024;

/** The text of the first element of a name, in one line; undefined if it is not closed or holds others. */
function elementText(text: string, name: string): string | undefined {
  const start = new RegExp(`<${name}[\\s>]`, 'i').exec(text);
  const open = start ? text.indexOf('>', start.index) : -1;
  const close = open < 0 ? -1 : text.indexOf('<', open);
  if (close < 0 || text.slice(close + 1, close + 2 + name.length).toLowerCase() !== `/${name}`)
    return undefined;
  const words = text
    .slice(open + 1, close)
    .split(/\s+/)
    .filter((word) => word !== '');
  return words.length === 0 ? undefined : words.join(' ');
}

/** "a page titled "Kiln closed"", for a body that was expected to be something else. */
export function describeText(text: string, type: string | undefined): string {
  const head = text.slice(0, HEAD);
  const title = elementText(head, 'title') ?? elementText(head, 'h1');
  const kind = type === undefined ? '' : ` (${type})`;
  if (/<html|<!doctype html|^(?!\s*<\?xml)\s*<(?:title|head|body|h1|p)\b/i.test(head))
    return title === undefined || title === ''
      ? `a page of HTML${kind}`
      : `a page titled "${visible(shorten(title, 120))}"${kind}`;
  if (/^\s*<\?xml|^\s*<[a-z]/i.test(text)) return `XML${kind}`;
  return `${type ?? 'text'}: ${JSON.stringify(shorten(text, 60))}`;
}
