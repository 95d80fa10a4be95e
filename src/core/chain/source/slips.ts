// Slips of the hand and habits of other notations that any line can have. Each says how the line may have been meant; whether
// it was, only reading the file again with that line tells.

import { nearest } from '../../language/nearest.ts';
import { keysMeantBy } from './key-habits.ts';
import { expressionSlips, insertionSlips } from './slips-in-values.ts';

/** A line that may have been meant, and what then was wrong with the one that is there. */
export interface Slip {
  readonly why: string;
  readonly line: string;
  /** What is likelier than anything that may be known of such a line: a sign that has no place at its end or around it. */
  readonly isPlain?: true;
  /** Only where a setting has the wrong form: elsewhere the rest of the value means something. */
  readonly ofSetting?: true;
  /** As plain, where the value should have been a name. */
  readonly ofName?: true;
}

/** A line in its parts: blanks and dashes before it, a key with what parts it from its value, and the value. */
interface Parts {
  readonly whole: string;
  readonly lead: string;
  /** The key with its colon and blank, or nothing. */
  readonly key: string;
  readonly value: string;
  /** The lines of the file, and the index of this one. */
  readonly lines: readonly string[];
  readonly at: number;
  /** All keys that the file could have where it was read. */
  readonly keys: ReadonlySet<string>;
}

type Reading = (parts: Parts) => Iterable<Slip>;

/** Longer lines are not tried: what they may have been meant as takes time by their length, many times over. */
const LONGEST = 500;

/** How a line of a file may have been meant, the likeliest first. */
export function* slipsOf(lines: readonly string[], at: number, keys: ReadonlySet<string>): Generator<Slip> {
  const whole = (lines[at] ?? '').replace(/\r$/, '');
  if (whole.trim() === '' || whole.length > LONGEST) return;
  const [, lead = '', key = '', value = ''] =
    /^(\s*(?:- +)*)((?:[\w$][\w.$-]*|"[^"]*"|'[^']*'):(?:\s+|$))?(.*)$/.exec(whole) ?? [];
  const parts = { whole, lead, key, value: value.trim(), lines, at, keys };
  // `file: @bowl.png` names a file, and without the sign would be sent as a text.
  if (/^@[\w./-]+\.[a-z]\w{1,3}$/i.test(parts.value)) return;
  const seen = new Set([whole]);
  for (const reading of READINGS)
    for (const slip of reading(parts)) if (!seen.has(slip.line) && seen.add(slip.line)) yield slip;
}

const withValue = ({ lead, key }: Pick<Parts, 'lead' | 'key'>, value: string): string => lead + key + value;

// ---- ends of lines

/** `wait: 2s;` `keep: { a: b },` `wait: 2s.` */
function* endMark(parts: Parts): Generator<Slip> {
  const [, rest, mark] = /^(.*\S)\s*([;,.!?:|\\/&+`´]+)$/.exec(parts.value) ?? [];
  if (rest !== undefined)
    yield {
      why: `no ${mark!} stands at the end of a line`,
      line: withValue(parts, rest),
      ...(/^[;,]+$/.test(mark!) ? { isPlain: true } : {}),
    };
  const [, key, signs] = /^(.*[\w"']:)\s*([;,.{[(:]+)$/.exec(parts.whole) ?? [];
  if (key !== undefined) yield { why: `no ${signs!} stands behind this colon`, line: key, isPlain: true };
}

/** `wait: 2s // two seconds`, also with `--`, `;` and a comment between marks. */
function* comment(parts: Parts): Generator<Slip> {
  const why = (mark: string): string => `a comment begins with #, not with ${mark}`;
  const whole = /^(\s*)(\/\/+|--+|;+|\/\*+|<!--+|%+|"""|REM\b|rem\b)\s*(.*?)\s*(?:\*\/|--+>)?$/.exec(
    parts.whole,
  );
  if (whole) yield { why: why(whole[2]!), line: `${whole[1]!}# ${whole[3]!}`, isPlain: true };
  const [, before, mark, text] =
    /^(.*?\S)\s+(\/\/+|--+|;+|\/\*+|<!--+)\s*(.*?)\s*(?:\*\/|--+>)?$/.exec(parts.whole) ?? [];
  if (before !== undefined) yield { why: why(mark!), line: `${before} # ${text!}`, isPlain: true };
  const [, value, note] = /^(.*?\S)\s*#+(\S.*)$/.exec(parts.value) ?? [];
  if (value !== undefined)
    yield {
      why: 'blanks part a comment from what stands before it',
      line: withValue(parts, `${value} # ${note!}`),
    };
}

// ---- what is put around a value

const AROUND: readonly (readonly [open: string, close: string])[] = [
  ['"""', '"""'],
  ["'''", "'''"],
  ['``', '``'],
  ['“', '”'],
  ['„', '“'],
  ['”', '”'],
  ['‘', '’'],
  ['’', '’'],
  ['«', '»'],
  ['`', '`'],
  ['´', '´'],
  ['"', '"'],
  ["'", "'"],
  ['<', '>'],
  ['(', ')'],
  ['{', '}'],
  ['[', ']'],
  ['|', '|'],
  ['/', '/'],
  ['*', '*'],
  ['_', '_'],
  ['%', '%'],
  ['@', '@'],
  ['$(', ')'],
  ['=', ''],
  ['@', ''],
  ['&', ''],
  ['*', ''],
  ['!', ''],
  ['?', ''],
  ['%', ''],
  ['~', ''],
  ['<', ''],
  ['>', ''],
  ['^', ''],
  ['+', ''],
  ['|', ''],
  ['-', ''],
  ['- ', ''],
  ['= ', ''],
  ['== ', ''],
  [': ', ''],
  [':', ''],
  [',', ''],
  [';', ''],
  ['.', ''],
  ['\\', ''],
  ['#', ''],
  ['', '"'],
  ['', "'"],
  ['', '`'],
  ['', ')'],
  ['', '}'],
  ['', ']'],
  ['', '>'],
  ['"', ''],
  ["'", ''],
  ['`', ''],
  ['(', ''],
  ['{', ''],
  ['[', ''],
  ['“', ''],
  ['', '”'],
];

function* around(parts: Parts): Generator<Slip> {
  const { value } = parts;
  for (const [open, close] of AROUND) {
    if (value.length <= open.length + close.length || !value.startsWith(open) || !value.endsWith(close))
      continue;
    const inner = value.slice(open.length, value.length - close.length).trim();
    if (inner === '') continue;
    const marks = [open.trim(), close].filter(Boolean).join(' ');
    const line = withValue(
      parts,
      inner.replace(/^["'](.*)["']$/, (text, word: string) => (/^[\w -]+$/.test(word) ? word : text)),
    );
    const opening = OPENING[close];
    if (open === '' && opening !== undefined && opening !== close && inner.includes(opening)) continue;
    const isLone = open === '' && !inner.includes(opening ?? close);
    const isPlain = /[“”„‘’«»´`]/.test(marks) || isLone || (open === '(' && /^\w[\w-]*$/.test(inner));
    yield {
      ...(isPlain ? { isPlain } : {}),
      ...(/^[A-Za-z]\w*$/.test(inner) ? { ofName: true } : {}),
      why:
        close === ''
          ? `no ${marks} stands before this`
          : open === ''
            ? `no ${marks} stands behind this`
            : `no ${marks} stand around this`,
      line,
    };
  }
}

/** What begins that which a sign ends. */
const OPENING: Readonly<Record<string, string>> = {
  ')': '(',
  '}': '{',
  ']': '[',
  '>': '<',
  '"': '"',
  "'": "'",
  '`': '`',
};

const CLOSING: Readonly<Record<string, string>> = { '{': '}', '[': ']', '"': '"', "'": "'", '(': ')' };

/** Signs that have only one end, or the wrong ones. */
function* pairs(parts: Parts): Generator<Slip> {
  const { value } = parts;
  for (const [open, close] of Object.entries(CLOSING)) {
    if (value.startsWith(open))
      yield { why: `the ${open} that begins here has no ${close}`, line: withValue(parts, value + close) };
    if (value.endsWith(close) && !value.includes(open))
      yield {
        why: `the ${close} at the end has no ${open}`,
        line: withValue(parts, open === '{' ? `{ ${value}` : open + value),
        isPlain: true,
      };
  }
  const inner = /^[([{<](.*)[)\]}>]$/s.exec(value)?.[1]?.trim() ?? /^- (.*)$/.exec(value)?.[1];
  for (const text of inner === undefined ? [value] : [inner, value]) {
    const members = asMembers(text);
    if (members !== undefined)
      yield {
        why: 'members stand as { key: value, key: value }',
        line: withValue(parts, `{ ${members} }`),
        ...(members.includes(', ') && text === value ? { isPlain: true } : {}),
      };
    if (text === inner && /[,;]/.test(text)) yield asList(parts, text);
  }
}

function asList(parts: Parts, text: string): Slip {
  return { why: 'this is a list: its items stand in [ ]', line: withValue(parts, `[${asItems(text)}]`) };
}

/** One item, or several, where a list has to stand. */
function* listed(parts: Parts): Generator<Slip> {
  const { value } = parts;
  const inner = /^[([{<](.*)[)\]}>]$/s.exec(value)?.[1]?.trim();
  for (const text of inner === undefined ? [value] : [inner, value])
    if (text !== '' && !/^[-{[]/.test(text)) yield asList(parts, text);
}

/** `a: 1; b = 2` as members of a map in braces. */
function asMembers(text: string): string | undefined {
  const pieces = text
    .split(/\s*[;,]\s*(?=[\w-]+\s*[:=])|\s+(?=[\w-]+\s*[:=]\s*[^=\s])/)
    .map((piece) => piece.trim());
  const members = pieces.flatMap((piece) => {
    const [, key, value] =
      /^["']?([\w-]+)["']?\s*(?::|=>|->|=)\s*([^=].*)$/.exec(piece.replace(/[,;]+$/, '')) ?? [];
    return key === undefined ? [] : [`${key}: ${value!}`];
  });
  return members.length === pieces.length ? members.join(', ') : undefined;
}

/** `a; b` or `a b` as items of a list in brackets. */
function asItems(text: string): string {
  const items = /[;,|]/.test(text) ? text.split(/\s*[;,|]\s*/) : text.split(/\s+(?:and\s+|or\s+)?/);
  return items.filter(Boolean).join(', ');
}

/** A flow map or list whose parts are separated otherwise. */
function* separators(parts: Parts): Generator<Slip> {
  const { value } = parts;
  if (!/^[{[]/.test(value)) return;
  yield {
    why: 'a comma parts one from the next',
    line: withValue(parts, value.replaceAll(/\s*[;|]\s*/g, ', ')),
  };
  if (value.startsWith('['))
    yield {
      why: 'a comma parts one from the next',
      line: withValue(parts, `[${asItems(value.replace(/^\[|\]$/g, ''))}]`),
    };
}

// ---- the beginning of a line

/** `* call: …`, `1. call: …`, `-call: …`, `-- call: …` */
function* marker(parts: Parts): Generator<Slip> {
  const [, blanks, mark, rest] =
    /^(\s*)((?:(?:->|=>|-:|-\.|- \[ ?[x ]?\]|[-*+–—•·>»]|\d+[.)])\s*)+)(\S.*)$/.exec(parts.whole) ?? [];
  if (blanks !== undefined && mark!.trim() !== '-')
    yield { why: 'an item of a list begins with a dash and a blank', line: `${blanks}- ${rest!}` };
  if (/^\s*-\s/.test(parts.whole))
    yield { why: 'no dash stands before this', line: parts.whole.replace(/^(\s*)-\s/, '$1  ') };
  else {
    yield {
      why: 'an item of a list begins with a dash and a blank',
      line: parts.whole.replace(/^(\s*)/, '$1- '),
    };
    yield {
      why: 'an item of a list begins with a dash and a blank',
      line: parts.whole.replace(/^(\s*?) {0,2}(?=\S)/, '$1- '),
    };
  }
}

/** `call GET …`, `call=GET …`, `call => GET …`, and the key twice. */
function* colon(parts: Parts): Generator<Slip> {
  const [, key, sign, value] =
    /^["'`]?([A-Za-z][\w-]*)["'`]?(\s*(?:::+|:=|=>|->|==?|[:;,.|>])\s*|\s+|(?=[{[]))(\S.*)?$/.exec(
      parts.whole.slice(parts.lead.length),
    ) ?? [];
  if (key === undefined) return;
  if (!/^:\s+$/.test(sign!) || value === undefined)
    yield {
      why: 'a key is followed by a colon and a blank',
      line: `${parts.lead}${key}:${value === undefined ? '' : ` ${value}`}`,
    };
  const again = /^["']?([\w-]+)["']?\s*[:=]\s*(.+)$/.exec(value ?? '');
  if (again) {
    const isTwice = again[1]!.toLowerCase() === key.toLowerCase();
    yield {
      why: isTwice ? `${key} stands here twice` : `${key} stands here for nothing`,
      line: `${parts.lead}${again[1]!}: ${again[2]!}`,
      ...(isTwice ? { isPlain: true } : {}),
    };
  }
  if (/^:\s+$/.test(sign!) && value !== undefined)
    yield { why: `no key stands here`, line: parts.lead + value };
  // A word before the key.
  if (/^\s+$/.test(sign!)) {
    yield { why: `${key} has no meaning here`, line: parts.lead + value! };
    const next = /^([\w-]+)\s*[:=]?\s*(.*)$/.exec(value!);
    if (next) yield { why: 'a key is one word', line: `${parts.lead}${key}-${next[1]!}: ${next[2]!}` };
  }
}

/** A key that is like another one, or that other programs call otherwise. */
function* misspelt(parts: Parts): Generator<Slip> {
  const [, sign, word, rest] =
    /^(["']?)([A-Za-z][\w-]*)\1(\s*:(?:\s.*|$))/.exec(parts.whole.slice(parts.lead.length)) ?? [];
  if (word === undefined || parts.keys.has(word)) return;
  for (const key of [
    ...nearestOf(word, parts.keys),
    ...keysMeantBy(word).filter((one) => parts.keys.has(one)),
  ])
    yield {
      why: `${word} is no key; the nearest is ${key}`,
      line: `${parts.lead}${sign!}${key}${sign!}${rest!}`,
    };
}

/** The three known words that are most like one. */
function nearestOf(word: string, known: ReadonlySet<string>): readonly string[] {
  const left = new Set(known);
  return [1, 2, 3].flatMap(() => {
    const near = nearest(word, left);
    if (near === undefined) return [];
    left.delete(near);
    return [near];
  });
}

/** Blanks before a line: one too few or too many, or the column of a line near it. */
function* indent(parts: Parts): Generator<Slip> {
  const { lines, at, whole } = parts;
  const own = /^\s*/.exec(whole)![0];
  const text = whole.slice(own.length);
  const columns = new Set<number>();
  const near = [
    ...lines
      .slice(0, at)
      .reverse()
      .filter((line) => line.trim() !== '')
      .slice(0, 4),
    lines.slice(at + 1).find((line) => line.trim() !== '') ?? '',
  ];
  for (const line of near) {
    const [, blanks = '', dash = ''] = /^( *)((?:- +)*)/.exec(line) ?? [];
    columns.add(blanks.length);
    columns.add(blanks.length + dash.length);
  }
  for (const more of [2, -2, 1, -1, 4, -4]) columns.add(own.length + more);
  const tries = [...columns].filter((column) => column >= 0 && column !== own.length);
  const distance = (column: number): number => Math.abs(column - own.length);
  for (const column of tries.sort((a, b) => distance(a) - distance(b)))
    yield {
      why: own.includes('\t')
        ? "a tab can't indent in YAML; use blanks"
        : `this line stands ${distance(column)} column${distance(column) === 1 ? '' : 's'} too far to the ${column < own.length ? 'right' : 'left'}`,
      line: ' '.repeat(column) + text,
    };
}

// ---- values

/** The only number of a value that may have one alone: `max 5`, `5x`, `{ max: 5 }`. */
function* number(parts: Parts): Generator<Slip> {
  const numbers = parts.value.match(/\d+(?:\.\d+)?/g) ?? [];
  if (numbers.length !== 1 || /^\d+$/.test(parts.value)) return;
  yield {
    why: 'this is a number alone',
    line: withValue(parts, numbers[0].replace(/\.0+$/, '')),
    ofSetting: true,
  };
  const unit =
    /(?<=\d)[\s_]*(ms|msecs?|millis|milliseconds?|s|secs?|seconds?|m|mins?|minutes?|h|hours?|d|days?)\b|(ms|s|m|h)(?:econds?|inutes?|ours?)?\s*:\s*\d/i.exec(
      parts.value,
    );
  const word = (unit?.[1] ?? unit?.[2])?.toLowerCase();
  const short = word === undefined ? undefined : /^(?:ms|milli)/.test(word) ? 'ms' : word[0]!;
  if (short !== undefined)
    yield {
      why: 'a duration is a number with its unit',
      line: withValue(parts, numbers[0] + short),
      ofSetting: true,
    };
}

/** `PT2S`, `00:05:00`, `2'` */
function* clock(parts: Parts): Generator<Slip> {
  const { value } = parts;
  const why = 'a duration is a number with its unit';
  const iso = /^PT?(\d+)([SMHD])$/i.exec(value);
  if (iso) yield { why, line: withValue(parts, iso[1]! + iso[2]!.toLowerCase()) };
  const [, hours, minutes, seconds] = /^(?:(\d+):)?(\d+):(\d+)$/.exec(value) ?? [];
  if (minutes !== undefined) {
    const all = Number(hours ?? 0) * 3600 + Number(minutes) * 60 + Number(seconds);
    yield {
      why,
      line: withValue(
        parts,
        all % 3600 === 0 ? `${all / 3600}h` : all % 60 === 0 ? `${all / 60}m` : `${all}s`,
      ),
    };
  }
  const prime = /^(\d+)(['"′″])$/.exec(value);
  if (prime)
    yield { why, line: withValue(parts, prime[1]! + (prime[2] === "'" || prime[2] === '′' ? 'm' : 's')) };
}

/** Two ends: `1s - 10s`, `1s to 10s`, `[1s, 10s]`, `{ min: 1s, max: 10s }`. */
function* range(parts: Parts): Generator<Slip> {
  const ends =
    parts.value
      .match(/\d+(?:\.\d+)?\s*[a-z]*/g)
      ?.map((end) => end.replace(/\s+/g, '').replace(/(?:to|and)$/, '')) ?? [];
  if (ends.length !== 2) return;
  const [from, to] = ends as [string, string];
  const unit = /[a-z]+$/.exec(to)?.[0] ?? '';
  yield {
    why: 'two ends stand as LOW..HIGH',
    line: withValue(parts, `${/[a-z]$/.test(from) ? from : from + unit}..${to}`),
    ofSetting: true,
  };
  yield { why: 'two ends stand as LOW..HIGH', line: withValue(parts, `${to}..${from}`), ofSetting: true };
}

/** What stands for `${name}` elsewhere. */
function* inserted(parts: Parts): Generator<Slip> {
  for (const text of insertionSlips(parts.value))
    yield { why: 'a value is inserted as ${name}', line: withValue(parts, text) };
}

const READINGS: readonly Reading[] = [
  endMark,
  comment,
  misspelt,
  colon,
  marker,
  inserted,
  pairs,
  around,
  separators,
  number,
  clock,
  range,
  ({ value, ...parts }) =>
    expressionSlips(value).map(({ text, ...slip }) => ({ ...slip, line: withValue(parts, text) })),
  listed,
  indent,
];
