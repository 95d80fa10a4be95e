import { durationText } from '../duration-text.ts';
import { fail } from '../../problems.ts';
import {
  decodeBase64,
  decodeHex,
  encodeBase64,
  encodeHex,
  fromUtf8,
  percentDecode,
  percentEncode,
  utf8,
} from '../encodings.ts';
import { parseJson, timeText, writeJson } from '../json.ts';
import { BYTES, JSON_VALUE, TEXT } from '../kinds.ts';
import { boundText } from '../limits.ts';
import { numberText } from '../numbers.ts';
import { Duration, isNumeric, kindOf, Time, type Value } from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';

const family = 'conversion';

/** A simple value as text; undefined if a person has to choose how to write it. */
export function plainText(value: Value): string | undefined {
  if (typeof value === 'string') return value;
  if (typeof value === 'boolean') return String(value);
  if (isNumeric(value)) return numberText(value);
  if (value instanceof Time) return timeText(value);
  if (value instanceof Duration) return durationText(value);
  return undefined;
}

export const conversionFunctions = [
  define(family, 'text', {
    about:
      'A number, time, duration, true or false as text; bytes read as UTF-8; null as "null". For lists and objects see json.',
    parameters: [takes.any('value')],
    returns: TEXT,
    examples: [
      ['text(12.50)', '"12.50"'],
      ['text(90s)', '"1m30s"'],
    ],
    evaluate: ([value]) => {
      if (value === null) return 'null';
      if (value instanceof Uint8Array) {
        return (
          fromUtf8(value) ?? fail('not-text', 'these bytes are not UTF-8', { hint: 'base64(x) or hex(x)' })
        );
      }
      return (
        plainText(value) ??
        fail('wrong-kind', `text takes no ${kindOf(value)}`, {
          hint: "json(x) writes it as JSON, join(x, ',') joins a list",
        })
      );
    },
  }),
  define(family, 'json', {
    about: 'The value written as JSON, numbers with the digits they came with.',
    parameters: [takes.any('value')],
    returns: TEXT,
    examples: [["json({ a: [1.0, 'x'] })", '"{\\"a\\":[1.0,\\"x\\"]}"']],
    evaluate: ([value]) => {
      const text = writeJson(value);
      boundText(text.length);
      return text;
    },
  }),
  define(family, 'parse', {
    about: 'The value that a JSON text denotes.',
    parameters: [takes.text('text')],
    returns: JSON_VALUE,
    examples: [["parse('[1.10, 2]')", '[1.10,2]']],
    evaluate: ([text]) => parseJson(text),
  }),
  define(family, 'base64', {
    about:
      "Base64 of bytes, or of the UTF-8 of a text; with 'url' in the alphabet for URLs, without padding.",
    parameters: [
      takes.textOrBytes('data'),
      optionalParameter(takes.text('form', { literal: { oneOf: ['url'] } })),
    ],
    returns: TEXT,
    examples: [
      ["base64('kiln')", '"a2lsbg=="'],
      ["base64('kiln', 'url')", '"a2lsbg"'],
    ],
    evaluate: ([data, form]) => {
      if (form !== undefined && form !== 'url')
        fail('wrong-kind', `base64 has no form '${form}'`, { hint: "'url', or none" });
      return encodeBase64(bytesOf(data), form === 'url' ? 'url' : 'standard');
    },
  }),
  define(family, 'unbase64', {
    about: 'The bytes that base64 of either alphabet stands for.',
    parameters: [takes.text('text')],
    returns: BYTES,
    examples: [["text(unbase64('a2lsbg=='))", '"kiln"']],
    evaluate: ([text]) => decodeBase64(text) ?? fail('not-encoded', 'this text is not base64'),
  }),
  define(family, 'hex', {
    about: 'Bytes as hexadecimal digits.',
    parameters: [takes.bytes('bytes')],
    returns: TEXT,
    examples: [["hex(unbase64('AP8='))", '"00ff"']],
    evaluate: ([bytes]) => encodeHex(bytes),
  }),
  define(family, 'unhex', {
    about: 'The bytes that pairs of hexadecimal digits stand for.',
    parameters: [takes.text('text')],
    returns: BYTES,
    examples: [["base64(unhex('00ff'))", '"AP8="']],
    evaluate: ([text]) =>
      decodeHex(text) ?? fail('not-encoded', 'this text is not pairs of hexadecimal digits'),
  }),
  define(family, 'percent', {
    about:
      'The text percent-encoded for a URL (RFC 3986). Values inserted into a URL are encoded without it.',
    parameters: [takes.text('text')],
    returns: TEXT,
    examples: [["percent('a/b c')", '"a%2Fb%20c"']],
    evaluate: ([text]) => {
      boundText(text.length * 3);
      return percentEncode(text);
    },
  }),
  define(family, 'unpercent', {
    about: 'The text that a percent-encoded one stands for.',
    parameters: [takes.text('text')],
    returns: TEXT,
    examples: [["unpercent('a%2Fb%20c')", '"a/b c"']],
    evaluate: ([text]) =>
      percentDecode(text) ?? fail('not-encoded', 'this text is not percent-encoded UTF-8'),
  }),
];

/** Bytes as they are, a text as UTF-8. */
export function bytesOf(data: string | Uint8Array): Uint8Array {
  return typeof data === 'string' ? utf8(data) : data;
}
