import { ProblemError } from '../../problems.ts';

/** The most that one line may hold, in UTF-16 units. */
const LONGEST_LINE = 16 * 1024 * 1024;

/**
 * Cuts a text that comes in pieces into lines; they end with LF, CR LF or CR, wherever a piece ends. Takes time linear in the
 * text.
 */
export class LineSplitter {
  #pending: string[] = [];
  #length = 0;
  /** The last piece ended with CR, so LF at the beginning of the next one belongs to it. */
  #endedWithCr = false;

  /** The lines that a piece completes. Throws `body-too-large`. */
  take(piece: string): string[] {
    let text = piece;
    if (this.#endedWithCr && text !== '') {
      this.#endedWithCr = false;
      if (text.startsWith('\n')) text = text.slice(1);
    }
    if (text === '') return [];
    const lines = text.includes('\r') ? text.split(/\r\n|\n|\r/) : text.split('\n');
    this.#endedWithCr = text.endsWith('\r');
    const rest = lines.pop()!;
    if (lines.length > 0 && this.#pending.length > 0) {
      lines[0] = this.#pending.join('') + lines[0]!;
      this.#pending = [];
      this.#length = 0;
    }
    if (rest !== '') {
      this.#pending.push(rest);
      this.#length += rest.length;
      // Many pieces of a character each would take more than the text itself.
      if (this.#pending.length > 1000) this.#pending = [this.#pending.join('')];
    }
    if (this.#length > LONGEST_LINE)
      throw new ProblemError({
        code: 'body-too-large',
        message: `a line is longer than ${LONGEST_LINE / 1024 / 1024} MiB, the most that one may hold`,
      });
    return lines;
  }

  /** What came after the end of the last line; undefined if there is nothing. */
  end(): string | undefined {
    return this.#pending.length === 0 ? undefined : this.#pending.join('');
  }
}
