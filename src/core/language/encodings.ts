// Encodings that the platform offers only through Node's Buffer, which the core does without.

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
const BASE64_URL = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';

const encoder = new TextEncoder();
const strictDecoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

export function utf8(text: string): Uint8Array {
  return encoder.encode(text);
}

/** The text of UTF-8 bytes; undefined if they are not UTF-8. */
export function fromUtf8(bytes: Uint8Array): string | undefined {
  try {
    return strictDecoder.decode(bytes);
  } catch {
    return undefined;
  }
}

/** Base64 (RFC 4648, section 4), or its form for URLs without padding (section 5). */
export function encodeBase64(bytes: Uint8Array, form: 'standard' | 'url' = 'standard'): string {
  const alphabet = form === 'url' ? BASE64_URL : BASE64;
  let text = '';
  for (let i = 0; i < bytes.length; i += 3) {
    const [a = 0, b = 0, c = 0] = bytes.subarray(i, i + 3);
    const group = (a << 16) | (b << 8) | c;
    const left = bytes.length - i;
    text += alphabet[group >> 18]! + alphabet[(group >> 12) & 63]!;
    if (left > 1) text += alphabet[(group >> 6) & 63]!;
    else if (form === 'standard') text += '=';
    if (left > 2) text += alphabet[group & 63]!;
    else if (form === 'standard') text += '=';
  }
  return text;
}

/** Reads base64 of either alphabet, with or without padding; undefined if the text is not base64. */
export function decodeBase64(text: string): Uint8Array | undefined {
  const digits = text
    .replace(/[\t\n\r ]/g, '')
    .replace(/={0,2}$/, '')
    .replace(/-/g, '+')
    .replace(/_/g, '/');
  if (!/^[A-Za-z0-9+/]*$/.test(digits) || digits.length % 4 === 1) return undefined;
  const bytes = new Uint8Array(Math.floor((digits.length * 3) / 4));
  let at = 0;
  for (let i = 0; i < digits.length; i += 4) {
    let group = 0;
    for (let k = 0; k < 4; k++) group = (group << 6) | Math.max(0, BASE64.indexOf(digits[i + k] ?? 'A'));
    for (let shift = 16; shift >= 0 && at < bytes.length; shift -= 8) bytes[at++] = (group >> shift) & 255;
  }
  return bytes;
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));

export function encodeHex(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += HEX[byte]!;
  return text;
}

/** Reads pairs of hexadecimal digits; undefined if the text is something else. */
export function decodeHex(text: string): Uint8Array | undefined {
  if (!/^(?:[0-9a-fA-F]{2})*$/.test(text)) return undefined;
  return Uint8Array.from({ length: text.length / 2 }, (_, i) => parseInt(text.slice(i * 2, i * 2 + 2), 16));
}

/** RFC 6570 simple expansion: every byte but the unreserved ones of RFC 3986, section 2.3, becomes %XX. */
export function percentEncode(text: string): string {
  return encodeURIComponent(text.toWellFormed()).replace(
    /[!'()*]/g,
    (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}

/** RFC 6570 reserved expansion (section 3.2.3): reserved characters and %XX stay as they are. */
export function percentEncodeReserved(text: string): string {
  return text
    .toWellFormed()
    .replace(/%(?![0-9a-fA-F]{2})|[^A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=%]+/g, (part) =>
      encodeURIComponent(part),
    );
}

/** Undoes %XX; undefined if a % is not followed by two digits or the bytes are not UTF-8. */
export function percentDecode(text: string): string | undefined {
  try {
    return decodeURIComponent(text);
  } catch {
    return undefined;
  }
}
