import { durationText } from './duration-text.ts';
import { fail } from '../problems.ts';
import { excerptAt } from './hidden.ts';
import { encodeBase64 } from './encodings.ts';
import { Exact, numberOf } from './numbers.ts';
import { Duration, hasOwnOrder, namesOf, setMember, Time, type Value, type ValueObject } from './values.ts';

/** How deep lists and objects may stand in each other. */
export const MAXIMUM_DEPTH = 500;

const Char = {
  Quote: 34,
  Plus: 43,
  Minus: 45,
  Point: 46,
  Zero: 48,
  Nine: 57,
  UpperE: 69,
  OpenList: 91,
  Backslash: 92,
  CloseList: 93,
  LowerE: 101,
  OpenObject: 123,
  CloseObject: 125,
} as const;

/**
 * Looks once over a JSON text: whether each number in it is one that a JavaScript number keeps, and each name one that keeps its place, so that the platform's
 * parser may read it. Wants no valid JSON; throws `json-too-deep` beyond {@link MAXIMUM_DEPTH}.
 */
function hasPlainNumbersOnly(text: string): boolean {
  let depth = 0;
  let plain = true;
  const end = text.length;
  for (let i = 0; i < end; i++) {
    const char = text.charCodeAt(i);
    if (char === Char.Quote) {
      // Texts in JSON are short, so going through them is faster than searching for their end.
      const start = i;
      let inner = text.charCodeAt(++i);
      const isDigit = inner >= Char.Zero && inner <= Char.Nine;
      while (inner !== Char.Quote && i < end) {
        if (inner === Char.Backslash) i++;
        inner = text.charCodeAt(++i);
      }
      if (isDigit && i - start <= 11 && plain) plain = !isNameOfDigits(text, start);
    } else if (char === Char.OpenList || char === Char.OpenObject) {
      if (++depth > MAXIMUM_DEPTH)
        fail('json-too-deep', `the JSON is nested more than ${MAXIMUM_DEPTH} levels deep`);
    } else if (char === Char.CloseList || char === Char.CloseObject) {
      depth--;
    } else if (plain && (char === Char.Minus || (char >= Char.Zero && char <= Char.Nine))) {
      const start = i;
      while (i + 1 < end && isNumberChar(text.charCodeAt(i + 1))) i++;
      // Whole numbers of up to 15 digits need no closer look.
      if (i - start >= 15 || char === Char.Minus || needsLook(text, start, i)) {
        const number = text.slice(start, i + 1);
        if (String(Number(number)) !== number) plain = false;
      }
    }
  }
  return plain;
}

/** Whether a member stands at a place whose name JavaScript takes for an index, and so out of its place. */
function isNameOfDigits(text: string, at: number): boolean {
  NAME_OF_DIGITS.lastIndex = at;
  return NAME_OF_DIGITS.test(text);
}

const NAME_OF_DIGITS = /"[0-9]{1,10}"[ \t\n\r]*:/y;

function needsLook(text: string, start: number, last: number): boolean {
  for (let i = start; i <= last; i++) {
    const char = text.charCodeAt(i);
    if (char < Char.Zero || char > Char.Nine) return true;
  }
  return false;
}

function isNumberChar(char: number): boolean {
  return (
    (char >= Char.Zero && char <= Char.Nine) ||
    char === Char.Point ||
    char === Char.UpperE ||
    char === Char.LowerE ||
    char === Char.Plus ||
    char === Char.Minus
  );
}

/**
 * Reads a JSON text (RFC 8259); each number keeps its text. Of two members with one name the last counts.
 * Throws `json-invalid` with line and column, or `json-too-deep`.
 */
export function parseJson(text: string): Value {
  const source = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
  const isComposed = source.charCodeAt(0) === Char.OpenObject || source.charCodeAt(0) === Char.OpenList;
  if (
    (isComposed && !MAY_NEED_A_LOOK.test(source) && hasFewContainers(source)) ||
    hasPlainNumbersOnly(source)
  ) {
    try {
      return JSON.parse(source) as Value;
    } catch {
      // read again below, for a message that says where
    }
  }
  return new Parser(source).document();
}

/**
 * Finds every number that a JavaScript number could damage, every member whose name is a number, and many others: numbers with a
 * fraction, an exponent, a minus or sixteen digits. A quick look for texts that hold none (a number all by itself is looked at
 * anyway).
 */
const MAY_NEED_A_LOOK = /[:,[\s][-0-9](?:[0-9]*[.eE]|[0-9]{15}|(?<=-))|"[0-9]{1,10}"[ \t\n\r]*:/;

/** Whether a text has so few lists and objects that they can't be nested too deep. */
function hasFewContainers(text: string): boolean {
  if (text.length <= MAXIMUM_DEPTH) return true;
  let count = 0;
  for (const open of '{[') {
    for (let at = text.indexOf(open); at >= 0; at = text.indexOf(open, at + 1))
      if (++count > MAXIMUM_DEPTH) return false;
  }
  return true;
}

const NUMBER = /-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?/y;
const BLANK = /[ \t\n\r]*/y;
const PLAIN_STRING = /[^"\\\u0000-\u001f]*/y;

class Parser {
  readonly #text: string;
  #at = 0;
  #depth = 0;

  constructor(text: string) {
    this.#text = text;
  }

  document(): Value {
    const value = this.#value();
    this.#blank();
    if (this.#at < this.#text.length) this.#refuse('the JSON has ended before this');
    return value;
  }

  #blank(): void {
    BLANK.lastIndex = this.#at;
    BLANK.test(this.#text);
    this.#at = BLANK.lastIndex;
  }

  #refuse(what: string): never {
    const before = this.#text.slice(0, this.#at);
    const line = before.split('\n').length;
    const column = this.#at - before.lastIndexOf('\n');
    const found = this.#at < this.#text.length ? `at ${excerptAt(this.#text, this.#at)}` : 'at its end';
    fail('json-invalid', `not JSON: ${what}, line ${line}, column ${column}, ${found}`);
  }

  #value(): Value {
    this.#blank();
    const char = this.#text[this.#at];
    switch (char) {
      case '{':
        return this.#object();
      case '[':
        return this.#list();
      case '"':
        return this.#string();
      case 't':
        return this.#word('true', true);
      case 'f':
        return this.#word('false', false);
      case 'n':
        return this.#word('null', null);
      default: {
        NUMBER.lastIndex = this.#at;
        const found = NUMBER.exec(this.#text)?.[0];
        if (found === undefined) this.#refuse('a value was expected');
        this.#at += found.length;
        return numberOf(found);
      }
    }
  }

  #word<T extends Value>(word: string, value: T): T {
    if (!this.#text.startsWith(word, this.#at)) this.#refuse('a value was expected');
    this.#at += word.length;
    return value;
  }

  #enter(): void {
    this.#at++;
    if (++this.#depth > MAXIMUM_DEPTH)
      fail('json-too-deep', `the JSON is nested more than ${MAXIMUM_DEPTH} levels deep`);
    this.#blank();
  }

  /** After an item: goes on behind a comma, or leaves behind the closing bracket. */
  #more(close: string): boolean {
    this.#blank();
    const char = this.#text[this.#at];
    if (char !== ',' && char !== close) this.#refuse(`"," or "${close}" was expected`);
    this.#at++;
    if (char === ',') return true;
    this.#depth--;
    return false;
  }

  #list(): Value[] {
    const items: Value[] = [];
    this.#enter();
    if (this.#text[this.#at] === ']') {
      this.#at++;
      this.#depth--;
      return items;
    }
    do items.push(this.#value());
    while (this.#more(']'));
    return items;
  }

  #object(): ValueObject {
    const object: ValueObject = {};
    this.#enter();
    if (this.#text[this.#at] === '}') {
      this.#at++;
      this.#depth--;
      return object;
    }
    do {
      this.#blank();
      if (this.#text[this.#at] !== '"') this.#refuse('a member name in double quotes was expected');
      const name = this.#string();
      this.#blank();
      if (this.#text[this.#at] !== ':') this.#refuse('":" was expected');
      this.#at++;
      setMember(object, name, this.#value());
    } while (this.#more('}'));
    return object;
  }

  #string(): string {
    const start = this.#at;
    for (;;) {
      PLAIN_STRING.lastIndex = this.#at + 1;
      PLAIN_STRING.test(this.#text);
      this.#at = PLAIN_STRING.lastIndex;
      const char = this.#text[this.#at];
      if (char === '"') break;
      if (char !== '\\')
        this.#refuse(
          char === undefined ? 'a text without its closing quote' : 'a control character inside a text',
        );
      this.#at++;
    }
    this.#at++;
    try {
      return JSON.parse(this.#text.slice(start, this.#at)) as string;
    } catch {
      this.#at = start;
      return this.#refuse('an escape that JSON does not have inside a text');
    }
  }
}

/**
 * Writes a value as JSON, numbers with the text they came with. A time is written as RFC 3339 text.
 * `indent` is the number of blanks a level. Throws `not-json` for a duration; bytes likewise, unless `bytes` allows base64.
 */
export function writeJson(value: Value, indent = 0, bytes: 'refuse' | 'text' = 'refuse'): string {
  // The platform's writer is several times faster, and an Exact stops it.
  if (indent === 0 && isPlain(value)) return JSON.stringify(value);
  return write(value, indent === 0 ? '' : '\n', ' '.repeat(indent), bytes);
}

function isPlain(value: Value): boolean {
  if (typeof value !== 'object' || value === null) return true;
  if (Array.isArray(value)) return value.every(isPlain);
  if (
    value instanceof Exact ||
    value instanceof Time ||
    value instanceof Duration ||
    value instanceof Uint8Array
  )
    return false;
  // A member named toJSON would be called by the platform's writer were it a function; no value of ours is one.
  return !hasOwnOrder(value) && Object.keys(value).every((name) => isPlain(value[name]!));
}

function write(value: Value, newline: string, step: string, bytes: 'refuse' | 'text'): string {
  if (
    value === null ||
    typeof value === 'boolean' ||
    typeof value === 'number' ||
    typeof value === 'string'
  ) {
    return JSON.stringify(value);
  }
  if (value instanceof Exact) return value.text;
  if (value instanceof Time) return JSON.stringify(timeText(value));
  if (value instanceof Duration || value instanceof Uint8Array) {
    if (bytes === 'text')
      return JSON.stringify(value instanceof Duration ? durationText(value) : encodeBase64(value));
    const kind = value instanceof Duration ? 'a duration' : 'bytes';
    const way =
      value instanceof Duration ? 'x / 1s gives seconds as a number' : 'base64(x) or text(x) gives a text';
    return fail('not-json', `${kind} can't be written as JSON`, { hint: way });
  }
  const inner = newline + (newline ? step : '');
  const colon = newline ? ': ' : ':';
  const [open, close, items] = Array.isArray(value)
    ? ['[', ']', value.map((item) => write(item, inner, step, bytes))]
    : [
        '{',
        '}',
        namesOf(value).map((name) => JSON.stringify(name) + colon + write(value[name]!, inner, step, bytes)),
      ];
  return items.length === 0 ? open + close : `${open}${inner}${items.join(`,${inner}`)}${newline}${close}`;
}

/** A time as RFC 3339 writes it, in UTC, without a fraction where there is none. */
export function timeText(time: Time): string {
  return new Date(time.milliseconds).toISOString().replace('.000Z', 'Z');
}
