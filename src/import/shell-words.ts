import { fail } from '../core/problems.ts';
import { variable } from './placeholders.ts';

/**
 * Splits a command line into words as a POSIX shell does (IEEE 1003.1, Shell Command Language, 2.2 and 2.6): quotes of
 * either kind, `$'…'`, backslashes, lines that go on. Carries nothing out: a variable becomes a placeholder, a pipe or a
 * redirection ends the command. Lines that go on with `^` or a backtick, as other shells write it, are joined too.
 * Throws `import-unreadable` for an open quote or a command inside the command.
 */
export function shellWords(source: string): string[] {
  // Documentation is pasted with a prompt before it, and with the marks of other shells at the ends of lines.
  const text = source.replace(/^\s*[$>%]\s+(?=\S)/, '').replace(/[ \t]*[\\^`][ \t]*\r?\n[ \t]*/g, ' ');
  const words: string[] = [];
  let word: string | undefined;
  const add = (part: string): void => void (word = (word ?? '') + part);
  const end = (): void => {
    if (word !== undefined) words.push(word);
    word = undefined;
  };
  for (let i = 0; i < text.length;) {
    const char = text[i]!;
    if (/\s/.test(char)) {
      end();
      if (char === '\n' && words.length > 0 && !/^\s*-/.test(text.slice(i))) return words;
      i++;
    } else if (char === '|' || char === ';' || char === '>' || (char === '&' && word === undefined)) {
      end();
      return words;
    } else if (char === '#' && word === undefined) {
      const line = text.indexOf('\n', i);
      i = line < 0 ? text.length : line;
    } else if (char === "'") {
      const close = closing(text, i, "'");
      add(text.slice(i + 1, close));
      i = close + 1;
    } else if (char === '"' || char === '\u201c') {
      i = doubleQuoted(text, i, add);
    } else if (char === '$' && text[i + 1] === "'") {
      i = escaped(text, i + 2, add);
    } else if (char === '\\') {
      add(text[i + 1] ?? '');
      i += 2;
    } else if (char === '`' || text.startsWith('$(', i)) {
      fail('import-unreadable', 'the command carries out another one, whose output is not known here', {
        instead: 'its output in place of it',
      });
    } else if (char === '$' && variableAt(text, i)) {
      const { name, length } = variableAt(text, i)!;
      add(variable(name));
      i += length;
    } else {
      add(char);
      i++;
    }
  }
  end();
  return words;
}

function closing(text: string, open: number, quote: string): number {
  const close = text.indexOf(quote, open + 1);
  if (close < 0)
    fail(
      'import-unreadable',
      `the quote that begins ${JSON.stringify(text.slice(open, open + 20))} is not closed`,
      {
        instead: `the whole command, ${quote} at its end`,
      },
    );
  return close;
}

/** Inside double quotes a backslash keeps its meaning only before `$`, a backtick, `"`, itself and a line break. */
function doubleQuoted(text: string, open: number, add: (part: string) => void): number {
  // A word processor turns quotes into curly ones.
  const quote = text[open] === '"' ? '"' : '\u201d';
  let i = open + 1;
  add('');
  while (i < text.length && text[i] !== quote) {
    const char = text[i]!;
    const found = char === '$' ? variableAt(text, i) : undefined;
    if (char === '\\' && '$`"\\'.includes(text[i + 1] ?? ' ')) {
      add(text[i + 1]!);
      i += 2;
    } else if (found) {
      add(variable(found.name));
      i += found.length;
    } else {
      add(char);
      i++;
    }
  }
  if (i >= text.length) closing(text, open, quote);
  return i + 1;
}

function variableAt(text: string, at: number): { name: string; length: number } | undefined {
  const found = /^\$(?:([A-Za-z_]\w*)|\{([A-Za-z_]\w*)\})/.exec(text.slice(at, at + 80));
  return found ? { name: (found[1] ?? found[2])!, length: found[0].length } : undefined;
}

const ESCAPES: Readonly<Record<string, string>> = {
  n: '\n',
  r: '\r',
  t: '\t',
  b: '\b',
  f: '\f',
  v: '\v',
  a: '\u0007',
  e: '\u001b',
};

/** The inside of `$'…'`. */
function escaped(text: string, from: number, add: (part: string) => void): number {
  let i = from;
  add('');
  while (i < text.length && text[i] !== "'") {
    if (text[i] !== '\\') {
      add(text[i++]!);
      continue;
    }
    const code = /^\\(?:x([0-9A-Fa-f]{1,2})|u([0-9A-Fa-f]{1,4})|U([0-9A-Fa-f]{1,8})|([0-7]{1,3}))/.exec(
      text.slice(i, i + 10),
    );
    if (code) {
      const digits = code[1] ?? code[2] ?? code[3];
      const point = digits === undefined ? parseInt(code[4]!, 8) : parseInt(digits, 16);
      add(point <= 0x10ffff ? String.fromCodePoint(point) : '\ufffd');
      i += code[0].length;
    } else {
      add(ESCAPES[text[i + 1] ?? ''] ?? text[i + 1] ?? '');
      i += 2;
    }
  }
  if (i >= text.length) closing(text, from - 1, "'");
  return i + 1;
}
