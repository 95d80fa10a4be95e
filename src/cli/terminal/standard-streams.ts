import { fstatSync, writeSync } from 'node:fs';

/** Standard output and standard error, by their numbers. */
export type StandardStream = 1 | 2;

/** What is to be written once a question is answered. */
const held = new Map<StandardStream, string[]>();

let questions = 0;

/** So many questions have been asked: what stood on the screen before one is not the last thing there any more. */
export function questionsAsked(): number {
  return questions;
}

/** Whether a question waits for its answer. */
export function isHeld(to: StandardStream): boolean {
  return held.has(to);
}

/** Keeps what is written until what it returns is called. */
export function hold(to: StandardStream): () => void {
  held.set(to, held.get(to) ?? []);
  questions++;
  return () => {
    const waiting = held.get(to) ?? [];
    held.delete(to);
    if (waiting.length > 0) writeTo(to, waiting.join(''));
  };
}

const NAMES = { 1: 'standard output', 2: 'standard error' } as const;

/** Those that Node's own streams write, and those that nothing more is written to. */
const opened = new Map<StandardStream, NodeJS.WriteStream>();
const given = new Set<StandardStream>();

/**
 * Writes a text to a standard stream. Files and pipes are written at once: loading Node's streams takes longer than a short
 * command. Whoever reads may stop reading, as `head` does; that is no failure, and what was begun is carried to its end, so
 * that a run does not leave behind what it has made. Where it can't be written, a full disk for example, that is said once
 * and the exit code becomes 3 at least, but the run goes on.
 */
export function writeTo(to: StandardStream, text: string): void {
  if (given.has(to)) return;
  const waiting = held.get(to);
  if (waiting) return void waiting.push(text);
  if (opened.has(to) || !isWrittenAtOnce(to)) return void streamOf(to).write(text);
  let bytes = Buffer.from(text);
  try {
    while (bytes.length > 0) bytes = bytes.subarray(writeSync(to, bytes));
  } catch (error) {
    // A reader that is slower than a pipe that does not block: Node's stream waits for it.
    if ((error as NodeJS.ErrnoException).code === 'EAGAIN') streamOf(to).write(bytes);
    else failed(to, error as NodeJS.ErrnoException);
  }
}

/** A standard stream as Node has it, for what only a terminal tells: its width, its colours. */
export function streamOf(to: StandardStream): NodeJS.WriteStream {
  let stream = opened.get(to);
  if (!stream) {
    stream = to === 1 ? process.stdout : process.stderr;
    stream.on('error', (error: NodeJS.ErrnoException) => failed(to, error));
    opened.set(to, stream);
  }
  return stream;
}

const written = new Map<StandardStream, boolean>();

/** Whether it is a file or a pipe, as far as that can be told. */
export function isWrittenAtOnce(to: StandardStream): boolean {
  let known = written.get(to);
  if (known === undefined) {
    try {
      known = process.platform !== 'win32' && !fstatSync(to).isCharacterDevice();
    } catch {
      known = false;
    }
    written.set(to, known);
  }
  return known;
}

function failed(to: StandardStream, error: NodeJS.ErrnoException): void {
  given.add(to);
  if (error.code === 'EPIPE') return;
  process.on('exit', () => {
    process.exitCode = Math.max(Number(process.exitCode ?? 0), 3);
  });
  if (to === 1) writeTo(2, `${NAMES[to]} can't be written: ${error.message}\n`);
}
