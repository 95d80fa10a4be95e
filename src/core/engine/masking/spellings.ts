import { utf8 } from '../../language/encodings.ts';
import { readingsOf } from './decoding.ts';
import { SHORTEST_NEEDLE } from './needles.ts';

/** Of longer secrets only themselves are looked for, also where escapes stand for their characters, in UTF-16 units. */
const LONGEST_RECODED = 128 * 1024;

/**
 * What is looked for so that a secret is found: itself, and what each encoding makes of it that changes every character. Escapes
 * (of JSON, URLs, forms, HTML and XML) are not among them: they are undone in the text, and so is an encoding of an encoding.
 */
export function spellingsOf(secret: string): Set<string> {
  const all = new Set<string>([secret, secret.toWellFormed()]);
  // Where escapes of a text are undone, those that a secret itself is made of are undone as well.
  for (const one of readingsOf(secret, 3)) all.add(one);
  // Forms write a space as a plus sign, which is no escape: it stays in the text whatever else is undone there.
  for (const one of [...all]) if (one.includes(' ')) all.add(one.replaceAll(' ', '+'));
  const isPlain = isAscii(secret);
  const bytes = utf8(secret);
  if (!isPlain) {
    // Bytes of UTF-8 that were read as Latin-1, as in header fields.
    all.add(latin1(bytes));
    all.add(secret.normalize('NFC'));
    all.add(secret.normalize('NFD'));
  }
  if (secret.length <= LONGEST_RECODED) recode(bytes, all);
  for (const one of all) if (one.length < SHORTEST_NEEDLE) all.delete(one);
  return all;
}

/** Adds base64 in both alphabets, also inside something longer, and hexadecimal digits (RFC 4648). */
function recode(bytes: Uint8Array, all: Set<string>): void {
  for (let before = 0; before < 3; before++) {
    const text = ascii.decode(base64Of(bytes, before));
    all.add(text);
    if (text.includes('+') || text.includes('/')) all.add(text.replaceAll('+', '-').replaceAll('/', '_'));
    // At the end of what is encoded, the last digit and the padding are those of the secret too.
    if (before === 0 && bytes.length % 3 !== 0) {
      const rest = bytes.length % 3;
      const digit = rest === 1 ? (bytes.at(-1)! & 3) << 4 : (bytes.at(-1)! & 15) << 2;
      all.add(text + String.fromCharCode(DIGITS[digit]!) + '='.repeat(3 - rest));
    }
  }
  const hex = ascii.decode(hexOf(bytes));
  all.add(hex);
  all.add(hex.toUpperCase());
}

const ascii = new TextDecoder();
const DIGITS = utf8('ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/');
const HEX = utf8('0123456789abcdef');

/**
 * Base64 of bytes with so many others in front of them (0 to 2): the digits that do not depend on what stands around. Inside
 * something longer it takes one of these three forms.
 */
function base64Of(bytes: Uint8Array, before: number): Uint8Array {
  const { length } = bytes;
  const out = new Uint8Array(Math.floor(((before + length) * 8) / 6) - (before === 0 ? 0 : before + 1));
  let bits = 0;
  let count = 0;
  let at = 0;
  // The digit that bytes in front have a part in is left out.
  let skip = before === 0 ? 0 : 6 - ((before * 8) % 6);
  for (let i = 0; i < length; i++) {
    bits = ((bits << 8) | bytes[i]!) & 0xffff;
    count += 8;
    if (skip > 0) {
      count -= skip;
      skip = 0;
    }
    while (count >= 6 && at < out.length) {
      count -= 6;
      out[at++] = DIGITS[(bits >> count) & 63]!;
    }
  }
  return out;
}

function hexOf(bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(bytes.length * 2);
  for (let i = 0; i < bytes.length; i++) {
    out[2 * i] = HEX[bytes[i]! >> 4]!;
    out[2 * i + 1] = HEX[bytes[i]! & 15]!;
  }
  return out;
}

function isAscii(text: string): boolean {
  return /^[\u0000-\u007f]*$/.test(text);
}

function latin1(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length; i += 4096) text += String.fromCharCode(...bytes.subarray(i, i + 4096));
  return text;
}
