import { eastAsianWidth } from 'get-east-asian-width';

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

const COLOUR = /(\u001b\[[0-9;]*m)/;

/** Cuts a text to a number of columns; its colours take none, and end where they would have ended. */
export function fit(text: string, columns: number): string {
  if (columns <= 0) return '';
  if (widthOf(text) <= columns) return text;
  let cut = '';
  let width = 0;
  let isOver = false;
  for (const [i, part] of text.split(COLOUR).entries()) {
    if (i % 2 === 1) {
      cut += part;
      continue;
    }
    for (const char of isOver ? '' : part) {
      width += widthOf(char);
      if (width > columns - 1) {
        isOver = true;
        cut += '…';
        break;
      }
      cut += char;
    }
  }
  return cut;
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
