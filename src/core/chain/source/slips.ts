// Slips of the hand and habits of other notations that any line can have. Each says how the line may have been meant; whether
// it was, only reading the file again with that line tells.

import { type Parts, type Slip, type SlipReading, withValue } from './slip.ts';
import { around, listed, pairs, quotes, separators } from './slips-around-values.ts';
import { expressionSlips } from './slips-in-values.ts';
import { twoLines } from './slips-of-lines.ts';
import { insertionSlips, joined } from './slips-of-insertions.ts';
import {
  bodyBehind,
  colon,
  indentation,
  keyless,
  marker,
  misspelt,
  statement,
  swapped,
  unbraced,
  valueAndBlock,
} from './slips-of-keys.ts';

/** Longer lines are not tried: what they may have been meant as takes time by their length, many times over. */
const LONGEST = 300;

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
    for (const slip of reading(parts)) {
      if (seen.has(slip.line) || (reading !== comment && /^\s*#/.test(slip.line))) continue;
      seen.add(slip.line);
      yield slip;
    }
}

// ---- ends of lines

/** `wait: 2s;` `keep: { a: b },` `wait: 2s.` */
function* endMark(parts: Parts): Generator<Slip> {
  const [, key, signs] = /^(.*[\w"']:)\s*([;,.{[(:-]+)$/.exec(parts.whole) ?? [];
  if (key !== undefined) yield { why: `no ${signs!} follows this colon`, line: key, isPlain: true };
  const [, rest, mark] = /^(.*\S)\s*([;,.!?:|\\/&+`´]+)$/.exec(parts.value) ?? [];
  if (rest !== undefined)
    yield {
      why: `no ${mark!} stands at the end of a line`,
      line: withValue(parts, rest),
      ...(/^[;,]+$/.test(mark!) ? { isPlain: true } : {}),
      // It makes a key of the value.
      ...(mark === ':' && parts.key !== '' ? { isPlain: true, ofParser: true } : {}),
    };
}

/** `wait: 2s // two seconds`, also with `--`, `;` and a comment between marks. */
function* comment(parts: Parts): Generator<Slip> {
  const why = (mark: string): string => `a comment begins with #, not with ${mark}`;
  const whole = /^(\s*)(\/\/+|--+|;+|\/\*+|<!--+|%+|"""|REM\b|rem\b)\s*(.*?)\s*(?:\*\/|--+>)?$/.exec(
    parts.whole,
  );
  if (whole) yield { why: why(whole[2]!), line: `${whole[1]!}# ${whole[3]!}`, isPlain: true };
  const [, before, mark, text] =
    /^(.*?\S)\s+(\/\/+|--+(?=\s)|;+|\/\*+|<!--+)\s*(.*?)\s*(?:\*\/|--+>)?$/.exec(parts.whole) ?? [];
  if (before !== undefined) yield { why: why(mark!), line: `${before} # ${text!}`, isPlain: true };
  const [, value, note] = /^(.*?\S)\s*#+(\S.*)$/.exec(parts.value) ?? [];
  if (value !== undefined)
    yield {
      why: 'a comment needs a blank before its #',
      line: withValue(parts, `${value} # ${note!}`),
    };
}

// ---- values

/** A value that may say one thing in several words; a map or list of more means more. */
const isOneThing = (value: string): boolean =>
  !/^[{[]/.test(value) ||
  /^\{\s*(?:min|max|from|to|least|most|value|count|times|total|milliseconds|seconds|minutes|hours)\b/.test(
    value,
  ) ||
  /^\[\s*\d\w*\s*,\s*\d\w*\s*\]$/.test(value);

/** The only number of a value that may have one alone: `max 5`, `5x`, `{ max: 5 }`. */
function* number(parts: Parts): Generator<Slip> {
  const numbers = parts.value.match(/\d+(?:\.\d+)?/g) ?? [];
  if (numbers.length !== 1 || !isOneThing(parts.value) || /^\d+$/.test(parts.value)) return;
  yield {
    why: 'this takes a number alone',
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
  if (ends.length !== 2 || !isOneThing(parts.value)) return;
  const [from, to] = ends as [string, string];
  const unit = /[a-z]+$/.exec(to)?.[0] ?? '';
  yield {
    why: 'a range is written LOW..HIGH',
    line: withValue(parts, `${/[a-z]$/.test(from) ? from : from + unit}..${to}`),
    ofSetting: true,
  };
  yield { why: 'a range is written LOW..HIGH', line: withValue(parts, `${to}..${from}`), ofSetting: true };
}

/** What stands for `${name}` elsewhere. */
function* inserted(parts: Parts): Generator<Slip> {
  const whole = joined(parts.value);
  if (whole !== undefined)
    yield {
      why: 'write one text, with ${ } around each value',
      line: withValue(parts, whole),
      isPlain: true,
    };
  // `choices: "${names}"`, where an expression stands.
  const [, , bare] = /^(["'])\$\{([^{}]+)\}\1$/.exec(parts.value) ?? [];
  if (bare !== undefined)
    yield { why: 'in an expression a name stands by itself, without ${ }', line: withValue(parts, bare) };
  for (const text of insertionSlips(parts.value))
    yield { why: 'a value is inserted as ${name}', line: withValue(parts, text) };
}

const READINGS: readonly SlipReading[] = [
  endMark,
  comment,
  misspelt,
  keyless,
  twoLines,
  statement,
  bodyBehind,
  unbraced,
  swapped,
  valueAndBlock,
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
  quotes,
  indentation,
];
