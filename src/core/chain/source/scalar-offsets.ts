// Where each character of a text stands in the YAML that it was written as.

/** How a scalar is written. */
export type ScalarStyle = 'PLAIN' | 'QUOTE_SINGLE' | 'QUOTE_DOUBLE' | 'BLOCK_LITERAL' | 'BLOCK_FOLDED';

/**
 * Finds the offset in the file of an offset in a text, which was written as `source`, from `start` on. Of several lines that
 * [YAML folds](https://yaml.org/spec/1.2.2/#65-line-folding) to one each character is found on its own.
 */
export function offsetsOf(
  source: string,
  start: number,
  text: string,
  style: ScalarStyle,
): (inText: number) => number {
  if (style === 'PLAIN' && !source.includes('\n')) return (at) => start + at;
  let offsets: readonly number[] | undefined;
  return (at) => {
    offsets ??= aligned(source, text, style);
    return start + (offsets[at] ?? offsets.at(-1)! + at - text.length);
  };
}

/** How long an escape of double quotes is, by the letter behind its `\\`. */
const ESCAPES: Readonly<Record<string, number>> = { x: 4, u: 6, U: 10 };

const BLANKS = /[ \t\r\n]*/y;

/** The blanks and ends of lines from an offset on. */
function blanksAt(text: string, at: number): string {
  BLANKS.lastIndex = at;
  return BLANKS.exec(text)![0];
}

/** For each character of a text, and for its end, the offset in its source. */
function aligned(source: string, text: string, style: ScalarStyle): readonly number[] {
  const offsets: number[] = [];
  const isDouble = style === 'QUOTE_DOUBLE';
  const isBlock = style.startsWith('BLOCK');
  // A block begins on the line below its | or >.
  let at = isBlock ? source.indexOf('\n') + 1 : style === 'PLAIN' ? 0 : 1;
  for (let i = 0; i < text.length;) {
    const written = blanksAt(source, at);
    const ends = written.split('\n').length - 1;
    if (isBlock && (ends > 0 || i === 0)) {
      const blanks = blanksAt(text, i);
      // What stands behind the last end of a line is what the next line begins with.
      const indent = blanks.length - (blanks.lastIndexOf('\n') + 1);
      for (let left = blanks.length; left > 0; left--)
        offsets.push(
          at + (left <= indent ? written.length - left : Math.min(blanks.length - left, written.length - 1)),
        );
      i += blanks.length;
      at += written.length;
      if (blanks !== '') continue;
    } else if (ends > 0) {
      // One end of a line is a blank, and of several all but the first are ends of lines.
      const folded = Math.max(1, ends - 1);
      for (let k = 0; k < folded; k++) offsets.push(at + k);
      i += folded;
      at += written.length;
      continue;
    }
    if (isDouble && source[at] === '\\') {
      if (/^\\\r?\n/.test(source.slice(at, at + 3))) {
        at += 1 + blanksAt(source, at + 1).length;
        continue;
      }
      const length = ESCAPES[source[at + 1] ?? ''] ?? 2;
      // What is beyond the first 65,536 characters takes two places of a text.
      const units = length === 10 && text.codePointAt(i)! > 0xffff ? 2 : 1;
      for (let k = 0; k < units; k++) offsets.push(at);
      i += units;
      at += length;
    } else {
      offsets.push(at);
      i++;
      at += style === 'QUOTE_SINGLE' && source.startsWith("''", at) ? 2 : 1;
    }
  }
  offsets.push(at);
  return offsets;
}
