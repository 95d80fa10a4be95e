import * as z from 'zod';
import { readDuration } from '../../language/lexer.ts';
import { nearest } from '../../language/nearest.ts';

/** What a text of another form may have been meant as, the likeliest first. Each is tried on what its key takes. */
export function* meantBy(text: string, shape: z.ZodType): Generator<string> {
  const plain = text.trim();
  if (plain !== text) yield plain;
  yield* durations(plain);
  yield* yesOrNo(plain);
  yield* counts(plain);
  yield* rates(plain);
  if (/^\d+$/.test(plain)) yield `${plain} MB`;
  const words = wordsOf(shape);
  // `refresh` is refresh-token where no other word has it.
  const having = words.filter((one) => one.split('-').includes(plain.toLowerCase()));
  const word =
    words.find((one) => one === plain.toLowerCase()) ??
    (having.length === 1 ? having[0] : undefined) ??
    nearest(plain, words);
  if (word !== undefined) yield word;
}

const UNITS: readonly (readonly [unit: string, words: RegExp])[] = [
  ['ms', /^(?:ms|milliseconds?|millis|msecs?)$/i],
  ['s', /^(?:s|seconds?|secs?)$/i],
  ['m', /^(?:m|minutes?|mins?)$/i],
  ['h', /^(?:h|hours?|hrs?)$/i],
  ['d', /^(?:d|days?)$/i],
];

/** A duration as people write it: `5 seconds`, `1m 30s`. */
function durationOf(written: string): string | undefined {
  const text = written
    .replace(/^(?:for|after|about|max|up to|~|<=?)\s*/i, '')
    .replace(/^[a-z]+(?= [a-z])/i, inFigures);
  // ISO 8601 writes PT1M30S.
  const iso = /^P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$/.exec(text);
  if (iso) {
    const whole = ['d', 'h', 'm', 's']
      .map((unit, i) => (iso[i + 1] === undefined ? '' : iso[i + 1]! + unit))
      .join('');
    return whole === '' ? undefined : whole;
  }
  // As a clock shows it: 00:01:30.
  const clock = /^(?:(\d{1,2}):)?(\d{1,2}):(\d{2})$/.exec(text);
  if (clock) {
    const whole = ['h', 'm', 's']
      .map((unit, i) => (Number(clock[i + 1] ?? 0) === 0 ? '' : `${Number(clock[i + 1])}${unit}`))
      .join('');
    return whole === '' ? undefined : whole;
  }
  const parts = [...text.matchAll(/([0-9]+(?:\.[0-9]+)?)\s*([A-Za-z]+)/g)];
  if (parts.length === 0 || parts.map(([part]) => part).join('') !== text.replace(/\s+(?=[0-9])/g, ''))
    return undefined;
  const pieces = parts.map(([, count, word]) => {
    const unit = UNITS.find(([, words]) => words.test(word!))?.[0];
    return unit === undefined ? '' : count! + unit;
  });
  const whole = pieces.join('');
  return pieces.includes('') || readDuration(whole) === undefined ? undefined : whole;
}

function* durations(text: string): Generator<string> {
  const range = /^(.+?)\s*(?:\.{2,3}|-|–|\bto\b|,)\s*(.+)$/.exec(text);
  const high = range ? (durationOf(range[2]!) ?? range[2]!) : undefined;
  // 1-10s has its unit once.
  const unit = /^[0-9]+$/.test(range?.[1] ?? '') ? (/[a-z]+$/.exec(high ?? '')?.[0] ?? '') : '';
  const low = range ? (durationOf(range[1]! + unit) ?? range[1]!) : undefined;
  const [least, most] = [low, high].map((one) => (one === undefined ? undefined : readDuration(one)));
  if (least !== undefined && most !== undefined)
    yield least <= most ? `${low!}..${high!}` : `${high!}..${low!}`;
  const one = durationOf(text);
  if (one !== undefined) yield one;
  // A large figure was mostly meant in milliseconds, unless it makes whole minutes.
  const figure = Number(text);
  if (/^[0-9]+$/.test(text))
    yield text + (figure >= 1000 || (figure >= 100 && figure % 60 !== 0) ? 'ms' : 's');
  if (/^[0-9]+\.[0-9]+$/.test(text)) yield `${text}s`;
}

function* yesOrNo(text: string): Generator<string> {
  if (/^(?:on|y|yes|true|enabled?|1|always)$/i.test(text)) yield 'yes';
  if (/^(?:off|n|no|false|disabled?|0|never)$/i.test(text)) yield 'no';
  if (/^(?:off|no|false|never|nothing|null|disabled?)$/i.test(text)) yield 'none';
}

/** Small numbers as people write them out. */
const NUMBER_WORDS = 'zero one two three four five six seven eight nine ten eleven twelve'.split(' ');

function inFigures(text: string): string {
  const number = NUMBER_WORDS.indexOf(text.toLowerCase());
  return number < 0 ? text : String(number);
}

function* counts(text: string): Generator<string> {
  if (inFigures(text) !== text) yield inFigures(text);
  const [, count] =
    /^([0-9][0-9,_]*)\.?\s*(?:times|x|pages?|items?|calls?|retries|attempts|iterations)?$/i.exec(text) ?? [];
  if (count !== undefined) yield count.replace(/[,_]/g, '');
}

/** `10/s`, `10 rps`, `10 per sec` */
function* rates(text: string): Generator<string> {
  const [, count, unit] =
    /^([0-9]+)\s*(?:calls?|requests?|req)?\s*(?:\/|per|a|an|r?p)\s*([a-z]+)$/i.exec(text) ?? [];
  if (count === undefined) return;
  const word = { s: 'second', m: 'minute', h: 'hour', d: 'day' }[unit![0]!.toLowerCase()];
  if (word !== undefined) yield `${count} per ${word}`;
}

/** The words that a key takes. */
function wordsOf(shape: z.ZodType): string[] {
  if (shape instanceof z.ZodEnum) return Object.values(shape.enum).map(String);
  if (shape instanceof z.ZodLiteral) return [...shape.values].map(String);
  if (shape instanceof z.ZodUnion) return shape.options.flatMap((one) => wordsOf(one as z.ZodType));
  return [];
}

/** A map that a text was meant as, as it stands in YAML: `{ state: waiting }` of `state=waiting`. */
export function mapMeantBy(key: string, text: string): string | undefined {
  if (key === 'keep' || key === 'results' || key === 'gather') {
    const [, given, value] = /^([A-Za-z_]\w*)\s*(?:=(?!=)|:|<-)\s*(.+)$/.exec(text) ?? [];
    if (given !== undefined) return flow([[given, value!]]);
    const [, first, path] = /^([A-Za-z_]\w*)\s+([$@].*)$/.exec(text) ?? [];
    if (first !== undefined) return flow([[first, path!]]);
    const name = /([A-Za-z_]\w*)(?:\[[^\]]*\])?$/.exec(text)?.[1];
    return name === undefined ? undefined : flow([[name, text]]);
  }
  if (key === 'pages' && /^(?:yes|no|true|false|\d+)$/.test(text)) return undefined;
  if (key === 'idempotency')
    return flow([[/^[A-Z][a-z]*(?:-[A-Za-z]+)+$/.test(text) ? 'header' : 'key', text]]);
  const only = ONLY_MEMBER[key];
  const [count] = only === 'attempts' ? [...counts(text)] : [];
  // What says several things is more than one member.
  if (only === 'attempts' && count === undefined && /[\s,]/.test(text)) return undefined;
  if (only !== undefined) return flow([[only, count ?? text]]);
  if (key === 'headers') {
    const [, name, value] = /^([\w-]+)\s*[:=]\s*(.+)$/.exec(text) ?? [];
    return name === undefined ? undefined : flow([[name, value!]]);
  }
  if (key !== 'query' && key !== 'form' && key !== 'inputs' && key !== 'json') return undefined;
  const pairs = text
    .replace(/^\?/, '')
    .split(/[&,;]\s*|\s+(?=[\w-]+\s*[=:])/)
    .map((pair) => /^([^=:\s]+)\s*[=:]\s*(.+)$/.exec(pair));
  return pairs.some((pair) => !pair) ? undefined : flow(pairs.map((pair) => [pair![1]!, pair![2]!]));
}

/** Where a map is taken, the member that a lone text is. */
const ONLY_MEMBER: Readonly<Record<string, string>> = {
  poll: 'until',
  repeat: 'until',
  pages: 'next',
  retry: 'attempts',
  callback: 'within',
};

function flow(members: readonly (readonly [string, string])[]): string {
  const written = members.map(
    ([name, value]) =>
      `${name}: ${/^[\w.$@ -]+$/.test(value) && !/^[\s-]/.test(value) ? value : JSON.stringify(value)}`,
  );
  return `{ ${written.join(', ')} }`;
}

/** A list that a text was meant as: `[a, b]` of `a, b`. */
export function listMeantBy(text: string): string {
  const words = /^\w[\w-]*(?:\s*[|/;]\s*|\s+or\s+)\w/.test(text) ? /\s*[|/;,]\s*|\s+or\s+/ : /\s*,\s*/;
  return `[${text
    .split(words)
    .map((item) => (/^[\w ./-]+$/.test(item) ? item : JSON.stringify(item)))
    .join(', ')}]`;
}

/** An object or list of JSON that a text on one line is: JSON is YAML, so it needs no quotes. */
export function jsonMeantBy(text: string): string | undefined {
  if (!/^\s*[{[]/.test(text) || text.includes('\n')) return undefined;
  try {
    JSON.parse(text);
  } catch {
    return undefined;
  }
  return text.trim();
}
