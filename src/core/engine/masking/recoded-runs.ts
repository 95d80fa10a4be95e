import { fromUtf8, utf8 } from '../../language/encodings.ts';

/** A part of a text that may be base64 or hexadecimal digits, and what it then says. */
export interface Run {
  /** What it says; bytes that are not UTF-8 are read as Latin-1. */
  readonly text: string;
  /** The place in the text that holds what stands from `start` up to `end` in `text`. */
  origin(start: number, end: number): readonly [start: number, end: number];
}

/** Shorter parts can't hold an encoding of an encoding of something that is looked for. */
const SHORTEST_RUN = 16;

/** How much of a run tells whether it says something in words. */
const TELLING = 12;

/** The value of each digit of base64 in both alphabets (RFC 4648, sections 4 and 5), and {@link NONE} for other characters. */
const NONE = 255;
const VALUES = new Uint8Array(256).fill(NONE);
for (const [i, code] of utf8('ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/').entries())
  VALUES[code] = i;
VALUES[0x2d] = 62;
VALUES[0x5f] = 63;

function valueAt(text: string, at: number): number {
  return VALUES[text.charCodeAt(at)] ?? NONE;
}

/** The parts of a text that say something in words when they are read as base64 or as hexadecimal digits. */
export function recodedRuns(text: string): Run[] {
  const runs: Run[] = [];
  // A run that begins here has its last digit of the shortest one in view: what is none there passes over all up to it
  // (the skip of Boyer and Moore, 1977).
  for (let start = 0; start + SHORTEST_RUN <= text.length;) {
    let at = start + SHORTEST_RUN - 1;
    while (at >= start && VALUES[text.charCodeAt(at) & 255] !== NONE) at--;
    if (at >= start) start = at + 1;
    else start = addRuns(runs, text, start, runEnd(text, start + SHORTEST_RUN)) + 1;
  }
  return runs;
}

/** The same for parts that hold one of some places, which are in order. */
export function recodedRunsAt(text: string, places: readonly number[]): Run[] {
  const runs: Run[] = [];
  let end = -1;
  for (const at of places) {
    if (at <= end) continue;
    let start = at;
    while (start > 0 && VALUES[text.charCodeAt(start - 1) & 255] !== NONE) start--;
    end = runEnd(text, at);
    if (end - start >= SHORTEST_RUN) addRuns(runs, text, start, end);
  }
  return runs;
}

/** Where the digits end that go on from a place. */
function runEnd(text: string, from: number): number {
  let end = from;
  while (end < text.length && VALUES[text.charCodeAt(end) & 255] !== NONE) end++;
  return end;
}

/** Adds what a run says; returns where it ends. */
function addRuns(runs: Run[], text: string, start: number, end: number): number {
  // Of each of the four ways to divide a run into groups one reading is enough.
  const read = [false, false, false, false];
  let hexUntil = 0;
  const look = (from: number): void => {
    if (!read[from & 3] && saysWords(text, from, end)) {
      read[from & 3] = true;
      runs.push(base64Run(text, from, end));
    }
    const digits = from < hexUntil ? undefined : hexRun(text, from, end);
    if (!digits) return;
    runs.push(digits.run);
    hexUntil = digits.end;
  };
  for (let skip = 0; skip < 4; skip++) look(start + skip);
  // What is encoded may stand behind something else: `/callback/dXNl…`.
  for (let from = start + 4; from + SHORTEST_RUN <= end; from++)
    if (VALUES[text.charCodeAt(from - 1) & 255]! >= 62) look(from);
  return end;
}

/** Whether the first bytes are those of a text: printable, and well-formed UTF-8. */
function saysWords(text: string, start: number, end: number): boolean {
  if (end - start < TELLING) return false;
  let inside = -1;
  for (let at = start; at < start + TELLING; at += 4) {
    const group =
      (valueAt(text, at) << 18) |
      (valueAt(text, at + 1) << 12) |
      (valueAt(text, at + 2) << 6) |
      valueAt(text, at + 3);
    if ((group & 0x808080) === 0) {
      // Three bytes of ASCII, which is what nearly all texts begin with.
      if (inside > 0 || !(PRINTABLE[group >> 16]! & PRINTABLE[(group >> 8) & 255]! & PRINTABLE[group & 255]!))
        return false;
      inside = 0;
      continue;
    }
    inside = nextInside(inside, group >> 16);
    if (inside !== NO_TEXT) inside = nextInside(inside, (group >> 8) & 255);
    if (inside !== NO_TEXT) inside = nextInside(inside, group & 255);
    if (inside === NO_TEXT) return false;
  }
  return true;
}

const NO_TEXT = -9;

/** 1 for a byte of ASCII that stands in texts: printable ones, tab and line ends. */
const PRINTABLE = Uint8Array.from({ length: 128 }, (_, byte) =>
  (byte >= 0x20 && byte < 0x7f) || byte === 9 || byte === 10 || byte === 13 ? 1 : 0,
);

/**
 * How many more bytes the character goes on for, after this byte; {@link NO_TEXT} where it can't follow. -1 to -3 is the
 * beginning of what is read: so many bytes less three may be the end of a character that began before.
 */
function nextInside(inside: number, byte: number): number {
  if (byte >= 0x80 && byte < 0xc0)
    return inside > 0 ? inside - 1 : inside < 0 && inside > -4 ? inside - 1 : NO_TEXT;
  if (inside > 0) return NO_TEXT;
  if (byte < 0x80) return PRINTABLE[byte] === 1 ? 0 : NO_TEXT;
  return byte < 0xc2 || byte > 0xf4 ? NO_TEXT : byte < 0xe0 ? 1 : byte < 0xf0 ? 2 : 3;
}

function base64Run(text: string, start: number, end: number): Run {
  const bytes = new Uint8Array(Math.floor(((end - start) * 3) / 4));
  let bits = 0;
  let count = 0;
  let at = 0;
  for (let i = start; i < end; i++) {
    bits = ((bits << 6) | valueAt(text, i)) & 0xffff;
    count += 6;
    if (count >= 8) {
      count -= 8;
      bytes[at++] = (bits >> count) & 255;
    }
  }
  return ofBytes(bytes, (from, to) => [
    start + Math.floor((from * 4) / 3),
    Math.min(end, start + Math.ceil((to * 4) / 3)),
  ]);
}

/** The hexadecimal digits at a place, where they say something in words. */
function hexRun(
  text: string,
  start: number,
  limit: number,
): { readonly run: Run; readonly end: number } | undefined {
  let inside = -1;
  for (let i = 0; i < TELLING; i += 2) {
    const byte = hexByte(text, start + i);
    inside = byte < 0 ? NO_TEXT : nextInside(inside, byte);
    if (inside === NO_TEXT) return undefined;
  }
  let end = start + TELLING;
  while (end < limit && hexDigit(text.charCodeAt(end)) >= 0) end++;
  const bytes = new Uint8Array((end - start) >> 1);
  for (let i = 0; i < bytes.length; i++) bytes[i] = hexByte(text, start + 2 * i);
  return { run: ofBytes(bytes, (from, to) => [start + 2 * from, start + 2 * to]), end };
}

/** The byte that two digits stand for; -1 where they are none. */
function hexByte(text: string, at: number): number {
  const high = hexDigit(text.charCodeAt(at));
  return high < 0 ? -1 : (high * 16) | hexDigit(text.charCodeAt(at + 1));
}

function hexDigit(code: number): number {
  if (code >= 48 && code <= 57) return code - 48;
  const small = code | 32;
  return small >= 97 && small <= 102 ? small - 87 : -1;
}

/** A run of bytes; `place` maps offsets of bytes. */
function ofBytes(
  bytes: Uint8Array,
  place: (from: number, to: number) => readonly [start: number, end: number],
): Run {
  let isAscii = true;
  for (const byte of bytes) if (byte > 127) isAscii = false;
  const text = isAscii ? ascii.decode(bytes) : fromUtf8(bytes);
  if (text === undefined) return { text: latin1.decode(bytes), origin: place };
  if (isAscii) return { text, origin: place };
  // Each character takes as many bytes as UTF-8 gives it.
  const offsets = new Int32Array(text.length + 1);
  let offset = 0;
  for (let i = 0; i < text.length; i++) {
    offsets[i] = offset;
    const code = text.charCodeAt(i);
    offset += code < 0x80 ? 1 : code < 0x800 ? 2 : code >= 0xd800 && code < 0xe000 ? 2 : 3;
  }
  offsets[text.length] = offset;
  return { text, origin: (start, end) => place(offsets[start]!, offsets[end]!) };
}

const ascii = new TextDecoder();
const latin1 = new TextDecoder('latin1');
