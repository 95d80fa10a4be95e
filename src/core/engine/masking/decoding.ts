/** A text in which one layer of escapes is undone, and where its characters came from. */
export interface Decoded {
  readonly text: string;
  /** Offsets in this text at which what stood for a single character begins, in order. */
  readonly units: readonly number[];
  /** The place in the text before, from which what stands from `start` up to `end` came. */
  origin(start: number, end: number): readonly [start: number, end: number];
}

/** The characters that escapes begin with. */
const MARKS = ['\\', '%', '&'] as const;

/** Each choice of sorts of escapes but none, as bits in the order of {@link MARKS}. */
const CHOICES = [1, 2, 3, 4, 5, 6, 7] as const;
const ALL_SORTS = 7;

/** So many readings of one text are enough; only one that was made for it has more. Of a long one, one a layer. */
const MOST_READINGS = 64;
const LONG = 16_384;

/** Whether some escape may stand in a text. */
export function mayHoldEscapes(text: string): boolean {
  return text.includes('\\') || text.includes('%') || text.includes('&');
}

/**
 * What a text may be read as where some layers of escapes are undone, itself left out: a layer undoes all sorts of escapes, and
 * where one sort was put around the text, the other sorts that it is made of itself are undone with it.
 */
export function readingsOf(text: string, layers: number): string[] {
  const all = new Set([text]);
  let latest = [text];
  const choices = text.length > LONG ? [ALL_SORTS] : CHOICES;
  for (let layer = 0; layer < layers && mayHoldEscapes(text); layer++) {
    const readings = latest.flatMap((one) =>
      mayHoldEscapes(one) ? choices.map((sorts) => decode(one, sorts)?.text) : [],
    );
    latest = [...new Set(readings)].filter((one): one is string => one !== undefined && !all.has(one));
    for (const one of latest) if (all.size <= MOST_READINGS) all.add(one);
  }
  return [...all].slice(1);
}

/** Where the escape that was read last ends. */
let escapeEnd = 0;

/**
 * Undoes one layer of escapes, all sorts in one go: those of strings of JSON (RFC 8259, section 7), percent-encoding of UTF-8
 * (RFC 3986, section 2.1), and character references of HTML and XML (XML 1.0, section 4.1). What only looks like an escape
 * stays. Nothing where there was none. `sorts` are bits in the order of {@link MARKS}.
 */
export function decode(text: string, sorts = ALL_SORTS): Decoded | undefined {
  const next = MARKS.map((mark, i) => ((sorts >> i) & 1 ? indexOf(text, mark, 0) : Infinity));
  let decoded = '';
  const units: number[] = [];
  /** By iterations: an offset in the new text, and the one in the text before, at which a piece begins that stayed as it was. */
  const pieces: number[] = [0, 0];
  let length = 0;
  let copied = 0;
  for (;;) {
    const which = next[0]! < next[1]! ? (next[0]! < next[2]! ? 0 : 2) : next[1]! < next[2]! ? 1 : 2;
    const at = next[which]!;
    if (at === Infinity) break;
    const char = at < copied ? undefined : escapeAt(text, at);
    if (char === undefined) {
      next[which] = indexOf(text, MARKS[which], at + 1);
      continue;
    }
    decoded += at > copied ? text.slice(copied, at) + char : char;
    length += at - copied;
    units.push(length);
    pieces.push(length, at, length + char.length, escapeEnd);
    length += char.length;
    copied = escapeEnd;
    next[which] = indexOf(text, MARKS[which], escapeEnd);
  }
  if (units.length === 0) return undefined;
  return { text: decoded + text.slice(copied), units, origin: (start, end) => originOf(pieces, start, end) };
}

function indexOf(text: string, mark: string, from: number): number {
  const at = text.indexOf(mark, from);
  return at < 0 ? Infinity : at;
}

/** Pieces alternate: one that stayed, one that stood for a character, one that stayed… */
function originOf(pieces: readonly number[], start: number, end: number): readonly [number, number] {
  const first = pieceAt(pieces, start);
  const last = pieceAt(pieces, end - 1);
  const from = first % 2 === 1 ? pieces[first * 2 + 1]! : pieces[first * 2 + 1]! + start - pieces[first * 2]!;
  const to = last % 2 === 1 ? pieces[last * 2 + 3]! : pieces[last * 2 + 1]! + end - pieces[last * 2]!;
  return [from, to];
}

/** The last piece that begins at an offset or before it. */
function pieceAt(pieces: readonly number[], offset: number): number {
  let low = 0;
  let high = pieces.length / 2 - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (pieces[middle * 2]! <= offset) low = middle;
    else high = middle - 1;
  }
  return low;
}

const SIMPLE: Readonly<Record<string, string | undefined>> = {
  // No names of what every object has are a single character.
  '"': '"',
  "'": "'",
  '\\': '\\',
  '/': '/',
  b: '\b',
  f: '\f',
  n: '\n',
  r: '\r',
  t: '\t',
};
const NAMED: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

/** What the escape at a place stands for; undefined if there is none. Where it ends is in `escapeEnd`. */
function escapeAt(text: string, at: number): string | undefined {
  switch (text.charCodeAt(at)) {
    case 0x5c:
      return backslashAt(text, at);
    case 0x25:
      return percentAt(text, at);
    default:
      return referenceAt(text, at);
  }
}

function backslashAt(text: string, at: number): string | undefined {
  const next = text[at + 1] ?? '';
  const simple = SIMPLE[next];
  if (simple !== undefined) {
    escapeEnd = at + 2;
    return simple;
  }
  const digits = next === 'u' ? 4 : next === 'x' ? 2 : 0;
  const code = digits === 0 ? -1 : hexAt(text, at + 2, digits);
  if (code < 0) return undefined;
  escapeEnd = at + 2 + digits;
  return String.fromCharCode(code);
}

function referenceAt(text: string, at: number): string | undefined {
  // The longest reference that is undone is &#x10FFFF; with some zeros in front.
  const close = text.slice(at + 1, at + 14).indexOf(';');
  if (close < 1) return undefined;
  const name = text.slice(at + 1, at + 1 + close);
  escapeEnd = at + close + 2;
  if (name[0] !== '#') return Object.hasOwn(NAMED, name) ? NAMED[name] : undefined;
  const [, hex, decimal] = /^#(?:[xX]([0-9a-fA-F]+)|([0-9]+))$/.exec(name) ?? [];
  const code = hex === undefined ? (decimal === undefined ? NaN : Number(decimal)) : parseInt(hex, 16);
  return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : undefined;
}

/** One character of UTF-8 in percent codes; a byte that begins none is one of Latin-1. */
function percentAt(text: string, at: number): string | undefined {
  const first = hexAt(text, at + 1, 2);
  if (first < 0) return undefined;
  escapeEnd = at + 3;
  const more = first >= 0xf8 ? 0 : first >= 0xf0 ? 3 : first >= 0xe0 ? 2 : first >= 0xc0 ? 1 : 0;
  if (more === 0) return String.fromCharCode(first);
  let code = first & (0x3f >> more);
  for (let i = 1; i <= more; i++) {
    const next = text[at + 3 * i] === '%' ? hexAt(text, at + 3 * i + 1, 2) : -1;
    if (next < 0x80 || next > 0xbf) return String.fromCharCode(first);
    code = (code << 6) | (next & 0x3f);
  }
  if (code > 0x10ffff) return String.fromCharCode(first);
  escapeEnd = at + 3 * (more + 1);
  return String.fromCodePoint(code);
}

/** The value of so many hexadecimal digits at a place; -1 where other characters stand there. */
function hexAt(text: string, at: number, digits: number): number {
  let value = 0;
  for (let i = 0; i < digits; i++) {
    const code = text.charCodeAt(at + i);
    const digit =
      code >= 48 && code <= 57
        ? code - 48
        : code >= 97 && code <= 102
          ? code - 87
          : code >= 65 && code <= 70
            ? code - 55
            : -1;
    if (digit < 0) return -1;
    value = value * 16 + digit;
  }
  return value;
}
