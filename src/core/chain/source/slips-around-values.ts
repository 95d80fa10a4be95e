// Signs around a value, or between the parts of one, that have no place there or are others here.

import { type Parts, type Slip, withValue } from './slip.ts';

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

export function* around(parts: Parts): Generator<Slip> {
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
          ? `no ${marks} goes before this`
          : open === ''
            ? `no ${marks} goes after this`
            : `no ${marks} goes around this`,
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
export function* pairs(parts: Parts): Generator<Slip> {
  const { value } = parts;
  // `'it isn't there'`
  const doubled = /^'.*'$/.test(value) ? value.replace(/(?<=[A-Za-z])'(?=[A-Za-z])/g, "''") : value;
  if (doubled !== value)
    yield {
      why: "within single quotes a ' is written twice",
      line: withValue(parts, doubled),
      isPlain: true,
      ofParser: true,
    };
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
  const words = asWords(parts);
  if (words !== undefined)
    yield { why: 'members are written { key: value, key: value }', line: withValue(parts, `{ ${words} }`) };
  const inner = /^[([{<](.*)[)\]}>]$/s.exec(value)?.[1]?.trim() ?? /^- (.*)$/.exec(value)?.[1];
  for (const text of inner === undefined ? [value] : [inner, value]) {
    const members = asMembers(text);
    if (members !== undefined)
      yield {
        why: 'members are written { key: value, key: value }',
        line: withValue(parts, `{ ${members} }`),
        ...(members.includes(', ') && text === value ? { isPlain: true } : {}),
      };
    if (text === inner && /[,;]/.test(text)) yield* asList(parts, text);
  }
}

function* asList(parts: Parts, text: string): Generator<Slip> {
  // Members are no items.
  if (/[\w"']:\s/.test(text)) return;
  yield { why: 'this is a list: its items go in [ ]', line: withValue(parts, `[${asItems(text)}]`) };
}

/** One item, or several, where a list has to stand. */
export function* listed(parts: Parts): Generator<Slip> {
  // Of words a loop makes no list.
  if (parts.key.trim() === 'each:') {
    // `each: name in 'cup', 'bowl'`
    const [, head, items] = /^(\w+ in )([^[\]{}()]+,[^[\]{}()]+)$/.exec(parts.value) ?? [];
    if (head !== undefined)
      yield { why: 'a list stands in brackets', line: withValue(parts, `${head}[${items!.trim()}]`) };
    return;
  }
  const { value } = parts;
  const inner = /^[([{<](.*)[)\]}>]$/s.exec(value)?.[1]?.trim();
  for (const text of inner === undefined ? [value] : [inner, value])
    if (text !== '' && !/^[-{[]/.test(text)) yield* asList(parts, text);
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

/** `until done, up to 100` as members of a map in braces. */
function asWords({ value, keys }: Parts): string | undefined {
  const members = value.split(/\s*[,;]\s*|\s+and\s+/).map((piece) => {
    const [, first = '', second, rest] = /^([a-z]+)(?:[ -]([a-z]+))?\s+(.+)$/.exec(piece) ?? [];
    const both = `${first}-${second}`;
    return keys.has(both)
      ? `${both}: ${rest!}`
      : keys.has(first)
        ? `${first}: ${piece.slice(first.length).trim()}`
        : undefined;
  });
  return members.includes(undefined) ? undefined : members.join(', ');
}

/** `a; b` or `a b` as items of a list in brackets. */
function asItems(text: string): string {
  const items = /[;,|]/.test(text) ? text.split(/\s*[;,|]\s*/) : text.split(/\s+(?:and\s+|or\s+)?/);
  return items.filter(Boolean).join(', ');
}

/** A flow map or list whose parts are separated otherwise. */
export function* separators(parts: Parts): Generator<Slip> {
  const { value } = parts;
  if (!/^[{[]/.test(value)) return;
  const decimals = value.replace(/(?<=:\s*-?\d+),(?=\d{1,2}\s*[,}])/g, '.');
  if (decimals !== value)
    yield {
      why: 'a number has a point before its decimals',
      line: withValue(parts, decimals),
      isPlain: true,
    };
  yield {
    why: 'a comma separates one from the next',
    line: withValue(parts, value.replaceAll(/\s*[;|]\s*/g, ', ')),
  };
  if (value.startsWith('['))
    yield {
      why: 'a comma separates one from the next',
      line: withValue(parts, `[${asItems(value.replace(/^\[|\]$/g, ''))}]`),
    };
}

/** `"GET" kiln /racks`: quotes around a part of a value. */
export function* quotes(parts: Parts): Generator<Slip> {
  const bare = parts.value.replace(/["'`]/g, '');
  // Members in braces are meant as such.
  if (!/["']|^(?:[&*!]\S*\s+)?\{.*\w:\s/.test(parts.value) && /^[>|%@`&*!?[{-]/.test(parts.value))
    yield {
      why: 'a value that begins with this sign needs quotes',
      ofParser: true,
      line: withValue(parts, `"${parts.value}"`),
    };
  if (bare !== parts.value && bare !== '')
    yield {
      why: 'quotes go around the whole value, or nowhere',
      line: withValue(parts, bare),
      ...(/^(['"])[^'"]*\1\s+\S[^'"]*$/.test(parts.value) ? { isPlain: true } : {}),
    };
}
