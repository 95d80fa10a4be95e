import { fail } from '../problems.ts';

export type TokenType = 'punctuation' | 'name' | 'number' | 'duration' | 'status class' | 'string' | 'end';

export interface Token {
  readonly type: TokenType;
  /** The source text; of a string what it denotes. */
  readonly text: string;
  readonly start: number;
  readonly end: number;
  /** Whether blanks stand before it. */
  readonly blank: boolean;
}

const BLANK = /[ \t\n\r]*/y;
const NAME = /[A-Za-z_\u0080-\ud7ff\ue000-\u{10ffff}][A-Za-z0-9_\u0080-\ud7ff\ue000-\u{10ffff}]*/uy;
const NUMBER = /(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?/y;
const DURATION = /(?:(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:ms|s|m|h|d))+(?![A-Za-z0-9_\u0080-\uffff])/y;
/** A class of statuses: 2xx. */
const STATUS_CLASS = /[1-5]xx(?![A-Za-z0-9_\u0080-\uffff])/y;
const PUNCTUATION = /\.\.|\?\?|\|\||&&|==|!=|<=|>=|[<>!?.[\](){},:*/%+\-$@]/y;
const ESCAPE = /\\(?:[bfnrt/\\'"]|u[0-9a-fA-F]{4})/y;

function match(pattern: RegExp, text: string, at: number): string | undefined {
  pattern.lastIndex = at;
  return pattern.exec(text)?.[0];
}

/** Reads the token that begins at or behind `from`. Throws `bad-syntax` with a span. */
export function readToken(text: string, from: number): Token {
  const start = from + match(BLANK, text, from)!.length;
  const token = (type: TokenType, content: string, end = start + content.length): Token => ({
    type,
    text: content,
    start,
    end,
    blank: start > from,
  });
  if (start >= text.length) return token('end', '');
  const char = text[start]!;
  if (char === "'" || char === '"') {
    const { value, end } = readString(text, start);
    return token('string', value, end);
  }
  const duration = match(DURATION, text, start);
  if (duration !== undefined) return token('duration', duration);
  const statusClass = match(STATUS_CLASS, text, start);
  if (statusClass !== undefined) return token('status class', statusClass);
  const number = match(NUMBER, text, start);
  if (number !== undefined) {
    const end = start + number.length;
    const glued = match(NAME, text, end);
    if (glued !== undefined) {
      fail('bad-syntax', `a number can't be followed by ${quote(glued)}`, {
        span: [start, end + glued.length],
        hint: `a duration is written with ms, s, m, h or d (500ms, 1h30m); a text in quotes ('${number}${glued}')`,
      });
    }
    return token('number', number);
  }
  const name = match(NAME, text, start);
  if (name !== undefined && name !== '') return token('name', name);
  const punctuation = match(PUNCTUATION, text, start);
  if (punctuation !== undefined) return token('punctuation', punctuation);
  return refuse(text, start);
}

const HINTS: Readonly<Record<string, string>> = {
  '=': 'use two equal signs to compare: a == b',
  '&': 'and is written &&',
  '|': 'or is written ||',
  '#': 'an expression has no comments',
  ';': 'one expression stands alone',
  '`': "put text in single or double quotes: 'abc'",
  '‘': "put text in straight quotes: 'abc'",
  '\u2019': "put text in straight quotes: 'abc'",
  '“': 'put text in straight quotes: "abc"',
  '”': 'put text in straight quotes: "abc"',
  '^': 'there is no power operator; multiply',
  '~': 'match(text, pattern) and search(text, pattern) try a pattern',
  '\\': 'a backslash stands only inside quotes',
};

function refuse(text: string, start: number): never {
  const char = String.fromCodePoint(text.codePointAt(start)!);
  const hint = HINTS[char];
  return fail('bad-syntax', `${quote(char)} has no meaning here`, {
    span: [start, start + char.length],
    ...(hint === undefined ? {} : { hint: hint }),
  });
}

function quote(text: string): string {
  return text === '"' ? `'"'` : `"${text}"`;
}

/** A string literal (RFC 9535, section 2.3.1.1). */
function readString(text: string, start: number): { value: string; end: number } {
  const mark = text[start]!;
  let json = '"';
  let i = start + 1;
  for (;;) {
    const char = text[i];
    if (char === undefined) {
      fail('bad-syntax', `the text that begins here has no closing ${mark}`, { span: [start, text.length] });
    }
    if (char === mark) break;
    if (char < ' ') {
      fail(
        'bad-syntax',
        'a control character inside quotes is written as an escape, such as \\n or \\u0009',
        {
          span: [i, i + 1],
        },
      );
    }
    if (char === '\\') {
      const escape = match(ESCAPE, text, i);
      const other = mark === '"' ? "\\'" : '\\"';
      if (escape === undefined || escape === other) {
        fail('bad-syntax', `${text.slice(i, i + 2)} is no escape inside ${mark}…${mark}`, {
          span: [i, i + 2],
          hint: `\\b \\f \\n \\r \\t \\/ \\\\ \\${mark} or \\uXXXX; a backslash itself is written \\\\`,
        });
      }
      json += escape === "\\'" ? "'" : escape;
      i += escape.length;
    } else {
      json += char === '"' ? '\\"' : char;
      i++;
    }
  }
  const value = JSON.parse(`${json}"`) as string;
  if (!value.isWellFormed()) {
    fail(
      'bad-syntax',
      'half of a surrogate pair: \\uD800 to \\uDBFF must be followed by \\uDC00 to \\uDFFF',
      {
        span: [start, i + 1],
      },
    );
  }
  return { value, end: i + 1 };
}

const UNITS: Readonly<Record<string, number>> = { ms: 1, s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 };

/** The milliseconds of a duration such as 250ms, 1.5h or 1h30m; undefined if the text is none. */
export function readDuration(text: string): number | undefined {
  const [, sign, body] = /^(-?)(.+)$/s.exec(text) ?? [];
  if (body === undefined || match(DURATION, body, 0) !== body) return undefined;
  let sum = 0;
  for (const [, count, unit] of body.matchAll(/([0-9.]+)([a-z]+)/g)) sum += Number(count) * UNITS[unit!]!;
  return sign === '-' ? -sum : sum;
}
