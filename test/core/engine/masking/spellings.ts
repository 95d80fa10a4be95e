import fc from 'fast-check';

/** A way of writing a text. */
export interface Spelling {
  readonly name: string;
  write(text: string): string;
}

const units = (text: string, write: (code: number) => string): string =>
  Array.from({ length: text.length }, (_, i) => write(text.charCodeAt(i))).join('');
const hex = (code: number, width: number): string => code.toString(16).padStart(width, '0');

/** Every way in which services, libraries and logs are known to write a text. */
export const SPELLINGS: readonly Spelling[] = [
  { name: 'json', write: (text) => JSON.stringify(text).slice(1, -1) },
  { name: 'json with \\/', write: (text) => JSON.stringify(text).slice(1, -1).replaceAll('/', '\\/') },
  { name: '\\u', write: (text) => units(text, (code) => `\\u${hex(code, 4)}`) },
  { name: '\\U', write: (text) => units(text, (code) => `\\u${hex(code, 4).toUpperCase()}`) },
  {
    name: '\\u of signs',
    write: (text) => text.replace(/[^A-Za-z0-9]/g, (sign) => units(sign, (code) => `\\u${hex(code, 4)}`)),
  },
  { name: 'percent', write: (text) => encodeURIComponent(text) },
  {
    name: 'percent, small',
    write: (text) => encodeURIComponent(text).replace(/%../g, (code) => code.toLowerCase()),
  },
  {
    name: 'percent, all',
    write: (text) => [...Buffer.from(text)].map((byte) => `%${hex(byte, 2)}`).join(''),
  },
  { name: 'form', write: (text) => new URLSearchParams([['', text]]).toString().slice(1) },
  {
    name: 'html',
    write: (text) =>
      text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;'),
  },
  { name: '&#', write: (text) => text.replace(/./gsu, (char) => `&#${char.codePointAt(0)!};`) },
  {
    name: '&#x of signs',
    write: (text) => text.replace(/[^A-Za-z0-9]/gu, (char) => `&#x${hex(char.codePointAt(0)!, 2)};`),
  },
  { name: 'base64', write: (text) => Buffer.from(text).toString('base64').replace(/=+$/, '') },
  { name: 'base64 behind 1', write: (text) => Buffer.from(`a${text}`).toString('base64').replace(/=+$/, '') },
  {
    name: 'base64 behind 2',
    write: (text) => Buffer.from(`ab${text}:x`).toString('base64').replace(/=+$/, ''),
  },
  { name: 'base64url', write: (text) => Buffer.from(`u:${text}`).toString('base64url') },
  { name: 'hex', write: (text) => Buffer.from(text).toString('hex') },
  { name: 'HEX', write: (text) => Buffer.from(text).toString('hex').toUpperCase() },
];

export const spelt = fc.constantFrom(...SPELLINGS);

/** A text as keys, passwords and tokens are, also with signs that every encoding escapes. */
export const planted = fc.oneof(
  fc.stringMatching(/^[A-Za-z0-9+/=_-]{10,60}$/),
  fc
    .string({ minLength: 10, maxLength: 40, unit: 'grapheme' })
    .filter((text) => text.isWellFormed() && new Set(text).size > 5 && !/[\\%&+\u0000-\u001f]/.test(text)),
  fc.stringMatching(/^[a-z]{4}[ "'<>&%+\\/=]{1,4}[a-z0-9]{6,12}$/),
);

/** What of a written secret still stands in a text: a part of so many characters; undefined if none does. */
export function leftOf(text: string, written: string, length = 12): string {
  for (let i = 0; i + length <= written.length; i++) {
    const part = written.slice(i, i + length);
    if (new Set(part).size > 2 && text.includes(part)) return part;
  }
  return '';
}
