import pc from 'picocolors';
import { eastAsianWidth } from 'get-east-asian-width';
import { visible } from '../core/language/show.ts';
import { isWrittenAtOnce, type StandardStream, streamOf, writeTo } from './standard-streams.ts';

/** Where a view writes: a terminal, or something that takes lines. */
export interface Terminal {
  readonly width: number;
  /** Where running text is broken into lines: never, where there is no terminal, so that it can be searched. */
  readonly wrapWidth: number;
  /** Lines can be written again. */
  readonly live: boolean;
  readonly colours: ReturnType<typeof pc.createColors>;
  /** Writes a text with its colours; of what a service said no character is obeyed by the terminal. */
  write(text: string): void;
  /** Takes away so many lines that were written last; only where lines can be written again. */
  takeAway(lines: number): void;
}

const USUAL_WIDTH = 100;

/** A stream as it is: whether it is a terminal, how wide, and whether colours are wanted. */
function terminalOf(to: StandardStream): Terminal {
  const { env } = process;
  const stream = isWrittenAtOnce(to) ? undefined : streamOf(to);
  // What is no terminal has no such member, whatever its type says.
  const isTerminal = stream?.isTTY ?? false;
  const obeys = isTerminal && env.TERM !== 'dumb';
  const columns = (isTerminal && stream?.columns) || USUAL_WIDTH;
  const colours = pc.createColors(obeys && !env.NO_COLOR && !process.argv.includes('--no-color'));
  return {
    width: Math.max(40, columns),
    wrapWidth: isTerminal ? Math.max(40, columns) : Infinity,
    live: obeys,
    colours,
    write: (text) => writeTo(to, legible(text, colours.isColorSupported)),
    takeAway: (lines) => writeTo(to, takenAway(lines)),
  };
}

/** What a terminal may obey: the colours that are used here, ends of lines, tabs. */
const OBEYED = /(\u001b\[(?:[12]|22|3[12369])m|\r?\n|\t)/;

/** A text as it may be written to a terminal: ends of lines stay, and the program's colours; other control characters are shown. */
export function legible(text: string, coloured = false): string {
  return text
    .split(OBEYED)
    .map((part, i) => {
      if (i % 2 === 0 || (part.startsWith('\u001b') && !coloured)) return visible(part);
      return part === '\r\n' ? '\n' : part;
    })
    .join('');
}

/** What takes away so many lines that were written last. */
export function takenAway(lines: number): string {
  return lines > 0 ? `\r\u001b[2K${'\u001b[1A\u001b[2K'.repeat(lines - 1)}` : '';
}

/** Standard error: everything but results. */
export const errorTerminal = (): Terminal => terminalOf(2);

/** Standard output, for what was asked for. */
export const outputTerminal = (): Terminal => terminalOf(1);

/** How many columns a text takes in a terminal; its colours take none. */
export function widthOf(text: string): number {
  const plain = text.includes('\u001b') ? text.replace(/\u001b\[[0-9;]*m/g, '') : text;
  if (/^[\x20-\x7e]*$/.test(plain)) return plain.length;
  let width = 0;
  for (const char of plain)
    if (!/^(?:\p{Mark}|\u200b|\u200c|\u200d|\ufe0e|\ufe0f)$/u.test(char))
      width += eastAsianWidth(char.codePointAt(0)!);
  return width;
}

/** Cuts a text to a number of columns. */
export function fit(text: string, columns: number): string {
  if (columns <= 0) return '';
  if (widthOf(text) <= columns) return text;
  let cut = '';
  let width = 0;
  for (const char of text) {
    width += widthOf(char);
    if (width > columns - 1) break;
    cut += char;
  }
  return `${cut}…`;
}

export function pad(text: string, columns: number): string {
  return text + ' '.repeat(Math.max(0, columns - widthOf(text)));
}

export function padStart(text: string, columns: number): string {
  return ' '.repeat(Math.max(0, columns - widthOf(text))) + text;
}

/** Breaks a text into lines of exactly so many columns, wherever that falls. */
export function chop(text: string, columns: number): string[] {
  if (widthOf(text) <= columns) return [text];
  const lines = [''];
  for (const char of text) {
    if (widthOf(lines.at(-1)! + char) > columns) lines.push('');
    lines.push((lines.pop() ?? '') + char);
  }
  return lines;
}

/**
 * Breaks a text at blanks into lines of at most so many columns; a longer word, such as an address, stays whole. Blanks before
 * a line of it stay.
 */
export function wrap(text: string, columns: number): string[] {
  return text.split('\n').flatMap((paragraph) => {
    const [indent] = /^ */.exec(paragraph)!;
    const lines: string[] = [];
    let line = '';
    for (const word of paragraph.slice(indent.length).split(' ')) {
      if (line !== '' && widthOf(line) + 1 + widthOf(word) > columns) {
        lines.push(line);
        line = word;
      } else {
        line = line === '' ? (lines.length === 0 ? indent + word : word) : `${line} ${word}`;
      }
    }
    lines.push(line);
    return lines;
  });
}

/** Milliseconds as a person reads them. */
export function timeWords(milliseconds: number): string {
  if (milliseconds < 1000) return `${Math.round(milliseconds)} ms`;
  if (milliseconds < 60_000) return `${(milliseconds / 1000).toFixed(1)} s`;
  return `${Math.floor(milliseconds / 60_000)} min ${Math.round((milliseconds % 60_000) / 1000)} s`;
}

/** A number of bytes as a person reads it. */
export function sizeWords(size: number): string {
  if (size < 1000) return `${size} bytes`;
  return size < 1_000_000 ? `${(size / 1000).toFixed(1)} KB` : `${(size / 1_000_000).toFixed(1)} MB`;
}

/** Writes what programs read to standard output, as it is; where a terminal reads it, control characters are shown and not obeyed. */
export function writeData(text: string): void {
  writeTo(1, isWrittenAtOnce(1) || !streamOf(1).isTTY ? text : legible(text));
}
