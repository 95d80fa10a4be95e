import { fail } from '../core/problems.ts';
import { outputOf, variable } from './placeholders.ts';

/** One command of a command line, with what it reads and where its output goes. */
export interface ShellCommand {
  readonly words: string[];
  /** What it reads: a here-document, a here-string, or a file. */
  input?: { readonly text: string } | { readonly file: string };
  /** The file that its output goes into. */
  output?: string;
}

/** A here-document whose lines are still to come. */
interface HereDocument {
  readonly end: string;
  readonly quoted: boolean;
  readonly stripped: boolean;
  readonly command: ShellCommand;
}

/** The words of the first command. */
export function shellWords(source: string): string[] {
  return shellCommands(source)[0]?.words ?? [];
}

/**
 * Splits what was pasted into commands and these into words, as a POSIX shell does (IEEE 1003.1, Shell Command Language, 2.2,
 * 2.6, 2.7): quotes of either kind, `$'…'`, backslashes, lines that go on, here-documents. Carries nothing out: a variable and the
 * output of another command become placeholders. Lines that go on with `^` or a backtick, as other shells write it, are joined too.
 * Throws `import-unreadable` for an open quote.
 */
export function shellCommands(source: string): ShellCommand[] {
  // Documentation is pasted with a prompt before it, and with the marks of other shells at the ends of lines.
  const text = source
    .replace(/^[ \t]*[$>%][ \t]+(?=\S)/gm, '')
    .replace(/[ \t]*[\\^`][ \t]*\r?\n[ \t]*/g, ' ');
  const commands: ShellCommand[] = [];
  const documents: HereDocument[] = [];
  let command: ShellCommand = { words: [] };
  let word: string | undefined;
  /** What the next word is, where it is no argument. */
  let next: ((word: string) => void) | undefined;
  const add = (part: string): void => void (word = (word ?? '') + part);
  const endWord = (): void => {
    if (word !== undefined) {
      if (next) next(word);
      else command.words.push(word);
      next = undefined;
    }
    word = undefined;
  };
  const endCommand = (): void => {
    endWord();
    if (command.words.length > 0) commands.push(command);
    command = { words: [] };
  };
  for (let i = 0; i < text.length;) {
    const char = text[i]!;
    if (char === '\n' && documents.length > 0) {
      endWord();
      i = readDocument(text, i + 1, documents.shift()!);
      if (documents.length === 0) endCommand();
    } else if (/\s/.test(char)) {
      endWord();
      if (char === '\n' && command.words.length > 0 && !/^\s*-/.test(text.slice(i, i + 200))) endCommand();
      i++;
    } else if (
      char === '|' ||
      char === ';' ||
      (char === '&' && (word === undefined || text[i + 1] === '&'))
    ) {
      endCommand();
      i += text[i + 1] === char ? 2 : 1;
    } else if (char === '>') {
      // 2> is what goes wrong, which is no part of a response.
      const isErrors = word === '2';
      if (word !== undefined && /^[12&]$/.test(word)) word = undefined;
      endWord();
      const [whole] = /^>>?(?:&\d)?/.exec(text.slice(i))!;
      const own = command;
      if (!whole.includes('&'))
        next = (target) => {
          if (!isErrors) own.output = target;
        };
      i += whole.length;
    } else if (char === '<') {
      endWord();
      const [whole] = /^<(?:<[<-]?)?/.exec(text.slice(i))!;
      const own = command;
      i += whole.length;
      if (whole === '<') next = (file) => void (own.input = { file });
      else if (whole === '<<<') next = (line) => void (own.input = { text: `${line}\n` });
      else {
        const [written = '', mark = '', name = ''] =
          /^[ \t]*(['"\\]?)([A-Za-z_][\w-]*)['"]?/.exec(text.slice(i, i + 200)) ?? [];
        documents.push({ end: name, quoted: mark !== '', stripped: whole === '<<-', command: own });
        i += written.length;
      }
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
    } else {
      i = special(text, i, add);
    }
  }
  endCommand();
  return commands;
}

/** A variable, the output of a command, or a character that is only that; returns where it ends. */
function special(text: string, at: number, add: (part: string) => void): number {
  const found = text[at] === '$' ? variableAt(text, at) : undefined;
  if (found) {
    add(variable(found.name));
    return at + found.length;
  }
  const isOld = text[at] === '`';
  if (!isOld && !text.startsWith('$(', at)) {
    add(text[at]!);
    return at + 1;
  }
  let close = at + 1;
  for (let depth = 0; close < text.length; close++) {
    if (isOld ? text[close] === '`' : text[close] === ')' && --depth === 0) break;
    if (!isOld && text[close] === '(') depth++;
  }
  if (close >= text.length) closing(text, at, isOld ? '`' : '\u0000');
  add(outputOf(text.slice(at + (isOld ? 1 : 2), close).trim()));
  return close + 1;
}

/** The lines of a here-document; returns where the line after it begins. */
function readDocument(text: string, from: number, { command, end, quoted, stripped }: HereDocument): number {
  const lines: string[] = [];
  let at = from;
  while (at < text.length) {
    const stop = text.indexOf('\n', at);
    const whole = text.slice(at, stop < 0 ? text.length : stop).replace(/\r$/, '');
    const line = stripped ? whole.replace(/^\t+/, '') : whole;
    at = stop < 0 ? text.length : stop + 1;
    if (line === end) break;
    lines.push(
      quoted
        ? line
        : line.replace(/\$(?:([A-Za-z_]\w*)|\{([A-Za-z_]\w*)\})/g, (_, a?: string, b?: string) =>
            variable((a ?? b)!),
          ),
    );
  }
  command.input = { text: lines.map((line) => `${line}\n`).join('') };
  return at;
}

function closing(text: string, open: number, quote: string): number {
  const close = text.indexOf(quote, open + 1);
  if (close < 0)
    fail(
      'import-unreadable',
      `the quote that begins ${JSON.stringify(text.slice(open, open + 20))} is not closed`,
      {
        hint: `the whole command, ${quote} at its end`,
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
    if (text[i] === '\\' && '$`"\\'.includes(text[i + 1] ?? ' ')) {
      add(text[i + 1]!);
      i += 2;
    } else i = special(text, i, add);
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
