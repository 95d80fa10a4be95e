import pc from 'picocolors';
import { visible } from '../../core/language/show.ts';
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

const DEFAULT_WIDTH = 100;

/** A stream as it is: whether it is a terminal, how wide, and whether colours are wanted. */
function terminalOf(to: StandardStream): Terminal {
  const { env } = process;
  const stream = isWrittenAtOnce(to) ? undefined : streamOf(to);
  // What is no terminal has no such member, whatever its type says.
  const isTerminal = stream?.isTTY ?? false;
  const obeys = isTerminal && env.TERM !== 'dumb';
  const columns = (isTerminal && stream?.columns) || DEFAULT_WIDTH;
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

/** Writes what programs read to standard output, as it is; where a terminal reads it, control characters are shown and not obeyed. */
export function writeData(text: string): void {
  writeTo(1, isWrittenAtOnce(1) || !streamOf(1).isTTY ? text : legible(text));
}
