import { withoutSecrets } from './hidden.ts';
import { durationText } from './duration-text.ts';
import { plainText } from './functions/conversion.ts';
import { timeText, writeJson } from './json.ts';
import { withArticle } from './kinds.ts';
import { Duration, kindOf, type Maybe, membersOf, Time, type Value, type ValueObject } from './values.ts';

/** Puts control characters, and marks that turn the direction of text, where they can be seen and do nothing. */
export function visible(text: string): string {
  return text.replace(
    /[\u0000-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2028\u2029\u2066-\u2069]/g,
    (char) =>
      ({ '\n': '\\n', '\r': '\\r', '\t': '\\t' })[char] ??
      `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** How much more than what is shown of a text is looked at for secrets: the beginning of one tells it, however it is written. */
const BEYOND = 4096;

/** Cuts a text that is longer than a number of characters, never inside a character, and never inside a secret. */
export function shorten(text: string, most: number): string {
  if (text.length <= most) return text;
  const masked = withoutSecrets(text.slice(0, most + BEYOND));
  if (masked.length <= most && text.length <= most + BEYOND) return masked;
  const cut = masked.slice(0, most - 1);
  return `${cut.isWellFormed() ? cut : cut.slice(0, -1)}…`;
}

/** A value in one short line, as messages quote it: texts in quotes, the rest as JSON. */
export function brief(value: Maybe, most = 80): string {
  if (value === undefined) return 'nothing';
  if (typeof value === 'string') return `'${visible(shorten(value, most))}'`;
  if (value instanceof Time) return timeText(value);
  if (value instanceof Duration) return durationText(value);
  if (value instanceof Uint8Array) return `${value.length} bytes`;
  if (Array.isArray(value) && value.length > 200) return `a list of ${value.length} items`;
  return visible(shorten(compact(value, most), most));
}

/** What a value is, in words: "a number, 5". */
export function kindAndValue(value: Maybe, most = 60): string {
  if (value === undefined) return 'nothing';
  return value === null ? 'null' : `${withArticle(kindOf(value))}, ${brief(value, most)}`;
}

/** JSON with blanks where a person would put them, no further than needed. */
function compact(value: Value, most: number): string {
  if (Array.isArray(value)) {
    const parts: string[] = [];
    for (let i = 0, length = 0; i < value.length && length <= most; i++) {
      parts.push(compact(value[i]!, most));
      length += parts.at(-1)!.length + 2;
    }
    return `[${parts.join(', ')}${parts.length < value.length ? ', …' : ''}]`;
  }
  if (kindOf(value) !== 'object')
    return kindOf(value) === 'text' || plainText(value) === undefined
      ? safeJson(value)
      : (plainText(value) ?? '');
  const parts: string[] = [];
  let length = 0;
  const entries = membersOf(value as ValueObject);
  for (const [name, member] of entries) {
    if (length > most) break;
    parts.push(`${JSON.stringify(name)}: ${compact(member, most)}`);
    length += parts.at(-1)!.length + 2;
  }
  return `{${parts.join(', ')}${parts.length < entries.length ? ', …' : ''}}`;
}

function safeJson(value: Value): string {
  return value instanceof Uint8Array
    ? `"${value.length} bytes"`
    : writeJson(typeof value === 'string' ? shorten(value, 200) : value);
}
