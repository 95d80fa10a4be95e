import { ONLY_WHOLE, SECRET_MEMBERS, wordsOf } from '../../chain/keys/secret-members.ts';
import { parseJson } from '../../language/json.ts';
import { numberText } from '../../language/numbers.ts';
import { isNumeric, isObject, type Value } from '../../language/values.ts';
import type { HeaderList } from '../../ports.ts';
import type { Hidden } from './masked-part.ts';

/** How deep JSON may lie in texts of JSON. */
const LAYERS = 2;

/** So many names are remembered. */
const REMEMBERED = 10_000;

/** Header fields whose values are never shown, besides those that are secret by name. */
const SECRET_FIELDS: ReadonlySet<string> = new Set([
  'authorization',
  'proxy-authorization',
  'cookie',
  'set-cookie',
  'signature',
]);

/** Header fields that end in `-token` and hold none that lets anybody in. */
const NO_TOKEN = /(?:page|next|continuation|cursor|sync)-token$/;

/**
 * Tells by their names which values are secrets: members of JSON, also within a text, fields of forms and of queries, elements
 * and attributes of XML, columns of CSV, header fields; and finds them in texts.
 */
export class SecretNames {
  readonly #words = new Set<string>();
  readonly #never: ReadonlySet<string>;
  readonly #known = new Map<string, boolean>();
  readonly #fields = new Map<string, boolean>();
  #pattern: RegExp;
  /** Names under which something was put that is too short to be looked for. */
  readonly #also = new Set<string>();

  /** `also` are names of the project's, `never` those that it takes away. */
  constructor({ also, never }: { readonly also: ReadonlySet<string>; readonly never: ReadonlySet<string> }) {
    const joined = (names: Iterable<string>): string[] =>
      [...names].map((name) => wordsOf(name).join('')).filter((name) => name !== '');
    this.#never = new Set(joined(never));
    for (const name of joined([...SECRET_MEMBERS, ...also])) this.#words.add(name);
    this.#pattern = this.#compiled([...SECRET_MEMBERS, ...also]);
  }

  #names: string[] = [];

  #compiled(names: readonly string[]): RegExp {
    this.#names = [...names];
    const forms = names
      .map((name) => wordsOf(name).join('[-_. ]?'))
      .filter((form) => form !== '')
      .sort((a, b) => b.length - a.length);
    return forms.length === 0 ? /(?!)/g : new RegExp(`(?:${forms.join('|')})`, 'gi');
  }

  /** How many names were added since. */
  get added(): number {
    return this.#also.size;
  }

  /** From here on values under this name are hidden where they stand. */
  add(name: string): void {
    if (this.#also.has(name)) return;
    this.#also.add(name);
    const joined = wordsOf(name).join('');
    if (joined === '') return;
    this.#words.add(joined);
    this.#known.clear();
    this.#fields.clear();
    this.#pattern = this.#compiled([...this.#names, name]);
  }

  /** Whether a member of this name is a secret. */
  has(name: string): boolean {
    let known = this.#known.get(name);
    if (known === undefined) {
      known = this.#isSecret(name);
      if (this.#known.size >= REMEMBERED) this.#known.clear();
      this.#known.set(name, known);
    }
    return known;
  }

  #isSecret(name: string): boolean {
    const words = wordsOf(name);
    const whole = words.join('');
    if (this.#never.has(whole)) return false;
    if (this.#words.has(whole)) return true;
    for (let i = 1; i < words.length; i++) {
      const end = words.slice(i).join('');
      if (this.#words.has(end) && !ONLY_WHOLE.has(end)) return !this.#never.has(end);
    }
    return false;
  }

  /** Whether the value of a header field is never shown. */
  hasField(name: string): boolean {
    let known = this.#fields.get(name);
    if (known === undefined) {
      known = this.#isSecretField(name.toLowerCase());
      if (this.#fields.size >= REMEMBERED) this.#fields.clear();
      this.#fields.set(name, known);
    }
    return known;
  }

  #isSecretField(lower: string): boolean {
    if (SECRET_FIELDS.has(lower)) return true;
    if (this.#never.has(wordsOf(lower).join(''))) return false;
    return this.has(lower) || (lower.endsWith('-token') && !NO_TOKEN.test(lower));
  }

  /** Calls back with each secret in a value, by the names of members, also within texts that are JSON. */
  inValue(value: Value, learn: (secret: string, name: string) => void): void {
    this.#visit(value, learn, LAYERS);
  }

  #visit(value: Value, learn: (secret: string, name: string) => void, layers: number): void {
    if (typeof value === 'string') {
      if (layers > 0) this.#inText(value, learn, layers);
    } else if (Array.isArray(value)) for (const item of value) this.#visit(item, learn, layers);
    else if (isObject(value))
      for (const name in value) {
        const member = value[name]!;
        if (this.has(name)) this.#under(name, member, learn, layers);
        else if (typeof member === 'string' ? member.length > 8 : typeof member === 'object')
          this.#visit(member, learn, layers);
      }
  }

  #under(name: string, member: Value, learn: (secret: string, name: string) => void, layers: number): void {
    if (typeof member === 'string') learn(member, name);
    else if (isNumeric(member)) learn(numberText(member), name);
    else if (Array.isArray(member)) for (const item of member) this.#under(name, item, learn, layers);
    else this.#visit(member, learn, layers);
  }

  #inText(text: string, learn: (secret: string, name: string) => void, layers: number): void {
    const start = text.charCodeAt(0) <= 0x20 ? text.trimStart()[0] : text[0];
    if (start === '{' || start === '[')
      try {
        return this.#visit(parseJson(text), learn, layers - 1);
      } catch {
        // no JSON after all
      }
    // Forms, queries and XML; a text with a colon alone is none of them.
    if (!text.includes('=') && !text.includes('</')) return;
    for (const { start: from, end, label } of this.places(text)) learn(text.slice(from, end), label);
  }

  /** Where values stand in a text that are secrets by their names, in order. */
  places(text: string, type?: string): Hidden[] {
    const found = type === 'text/csv' ? this.#inColumns(text) : [];
    // Values stand behind an equals sign, a colon or a tag.
    if (!/[=:>]/.test(text)) return found;
    this.#pattern.lastIndex = 0;
    let strings: JsonStrings | undefined;
    for (let match = this.#pattern.exec(text); match; match = this.#pattern.exec(text)) {
      const end = match.index + match[0].length;
      const name = nameAround(text, match.index, end);
      if (name === undefined || !this.has(name)) continue;
      strings ??= new JsonStrings(text);
      // What a text within JSON says of values ends with that text; only a name that ends it is that of a member.
      const within = strings.around(end);
      const places =
        within === undefined || within.end === end
          ? valuesBehind(text, end, isTag(text, match.index))
          : valuesBehind(
              text.slice(within.start, within.end),
              end - within.start,
              isTag(text, match.index),
            ).map(([from, to]) => [from + within.start, to + within.start] as const);
      for (const [from, to] of places) {
        if (to > from && text[from] !== '‹') found.push({ start: from, end: to, label: name });
        this.#pattern.lastIndex = Math.max(end, to);
      }
    }
    return found;
  }

  /** The cells of columns of CSV (RFC 4180) that are secret by the names in the first row. */
  #inColumns(text: string): Hidden[] {
    const found: Hidden[] = [];
    let columns: (string | undefined)[] | undefined;
    const names: string[] = [];
    let column = 0;
    for (let at = 0; at < text.length;) {
      const isQuoted = text[at] === '"';
      let end = at;
      if (isQuoted) {
        for (end = at + 1; end < text.length; end++)
          if (text[end] === '"') {
            if (text[end + 1] !== '"') break;
            end++;
          }
      } else while (end < text.length && !/[,;\t\r\n]/.test(text[end]!)) end++;
      const start = isQuoted ? at + 1 : at;
      if (!columns) names.push(text.slice(start, end));
      else if (columns[column] !== undefined && end > start)
        found.push({ start, end, label: columns[column]! });
      if (isQuoted) end++;
      at = end + 1;
      if (text[end] === '\r' || text[end] === '\n') {
        if (text[end] === '\r' && text[end + 1] === '\n') at++;
        column = 0;
        columns ??= names.map((name) => (this.has(name) ? name : undefined));
        if (!columns.some((name) => name !== undefined)) break;
      } else column++;
    }
    return found;
  }

  /** Header fields as an event shows them; the same list where nothing has to be hidden. */
  fields(headers: HeaderList, mask: (text: string) => string): HeaderList {
    if (!headers.some(([name, value]) => this.hasField(name) || value.includes('='))) return headers;
    return headers.map((field) => {
      const [name, value] = field;
      if (!this.hasField(name) && !value.includes('=')) return field;
      const known = mask(value);
      return [name, /^‹[^›]*›$/.test(known) ? known : this.#field(name, value)];
    });
  }

  #field(name: string, value: string): string {
    if (!this.hasField(name)) {
      const places = value.includes('=') ? this.places(value) : [];
      return places.reduceRight(
        (text, { start, end, label }) => `${text.slice(0, start)}‹${label}›${text.slice(end)}`,
        value,
      );
    }
    const lower = name.toLowerCase();
    if (lower === 'set-cookie') return value.replace(/^([^=;]*=)[^;]*/, '$1‹cookie›');
    if (lower === 'cookie') return value.replace(/=[^;]*/g, '=‹cookie›');
    if (lower === 'signature') return value.replace(/:[^:]*:/g, ':‹signature›:');
    if (!lower.endsWith('authorization')) return `‹${lower}›`;
    const scheme = /^(\S+)\s/.exec(value)?.[1];
    return scheme === undefined ? '‹credential›' : `${scheme} ‹credential›`;
  }
}

/** The texts in quotes of a text that is JSON, asked for from left to right. */
class JsonStrings {
  readonly #text: string;
  readonly #isJson: boolean;
  #start = 0;
  #end = -1;

  constructor(text: string) {
    this.#text = text;
    this.#isJson = /^\s*[[{"]/.test(text) && isJson(text);
  }

  /** From where to where the text in quotes goes in which a place lies, without the quotes; nothing outside of JSON. */
  around(place: number): { readonly start: number; readonly end: number } | undefined {
    if (!this.#isJson) return undefined;
    while (this.#end < place) {
      this.#start = this.#text.indexOf('"', this.#end + 1) + 1;
      if (this.#start === 0) return undefined;
      this.#end = closingAt(this.#text, this.#start, '"');
    }
    return place >= this.#start ? { start: this.#start, end: this.#end } : undefined;
  }
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** The whole name of which a part stands from `start` to `end`; undefined if it goes on behind that. */
function nameAround(text: string, start: number, end: number): string | undefined {
  if (/[A-Za-z0-9_]/.test(text[end] ?? '')) return undefined;
  let from = start;
  while (from > 0 && start - from < 100 && /[A-Za-z0-9_.-]/.test(text[from - 1]!)) from--;
  // A part of a word such as "nonsecret" is none; `wordsOf` tells parts of names apart.
  return text.slice(from, end);
}

/** A name of an element: `<password>`, `<a:password …>`. */
function isTag(text: string, start: number): boolean {
  let at = start;
  while (at > 0 && start - at < 100 && /[\w.:-]/.test(text[at - 1]!)) at--;
  return text[at - 1] === '<';
}

/** A quote, as it is or as escapes write it: `"`, `\"`, `\\\"`, `&quot;`, `%22`. */
const QUOTE = /\\*["']|&quot;|&#34;|%22|\\u0022/y;

/** The values behind a name: one, or the items of a list. */
function valuesBehind(text: string, end: number, isElement: boolean): (readonly [number, number])[] {
  if (isElement && /[\s>]/.test(text[end] ?? '')) {
    const open = end + text.slice(end, end + 500).indexOf('>');
    if (open < end || text[open - 1] === '/') return [];
    const close = text.indexOf('<', open);
    return close < 0 ? [[open + 1, text.length]] : [[open + 1, close]];
  }
  const quote = quoteAt(text, end);
  let at = blanksAfter(text, end + quote.length);
  const sign = /^(?:[:=]|%3[AaDd])/.exec(text.slice(at, at + 3))?.[0];
  if (sign === undefined) return [];
  const isColon = sign === ':' || /3a$/i.test(sign);
  at = blanksAfter(text, at + sign.length);
  if (isColon && text[at] === '[' && quote !== '') return itemsOf(text, at + 1);
  const open = quoteAt(text, at);
  if (open !== '') return [[at + open.length, closingAt(text, at + open.length, open)]];
  if (isColon && quote === '') return []; // prose
  let to = at;
  const ends = isColon ? /[\s,}\]]/ : /[\s&;,"'<>\\)}]/;
  while (to < text.length && !ends.test(text[to]!)) to++;
  const word = text.slice(at, Math.min(to, at + 6));
  return word === 'true' || word === 'false' || word === 'null' || word === '' || word.startsWith('{')
    ? []
    : [[at, to]];
}

/** The quoted items of a list, up to its end. */
function itemsOf(text: string, start: number): (readonly [number, number])[] {
  const items: (readonly [number, number])[] = [];
  for (let at = blanksAfter(text, start); at < text.length && text[at] !== ']';) {
    const open = quoteAt(text, at);
    if (open === '') {
      if (/[[{]/.test(text[at]!)) return items;
      at++;
      continue;
    }
    const close = closingAt(text, at + open.length, open);
    items.push([at + open.length, close]);
    at = blanksAfter(text, close + open.length);
    if (text[at] === ',') at = blanksAfter(text, at + 1);
  }
  return items;
}

function quoteAt(text: string, at: number): string {
  QUOTE.lastIndex = at;
  return QUOTE.exec(text)?.[0] ?? '';
}

/** Where the text in quotes ends: at the same quote, with as many backslashes in front. */
function closingAt(text: string, start: number, open: string): number {
  const depth = open.length - 1;
  const isPlain = /^\\*["']$/.test(open);
  for (let at = start; ;) {
    const close = text.indexOf(open.slice(isPlain ? depth : 0), at);
    if (close < 0) return text.length;
    if (!isPlain) return close;
    let before = 0;
    while (close - before > start && text[close - before - 1] === '\\') before++;
    // Of an escaped quote there are more backslashes in front than of the one that ends the text.
    if (before <= depth) return close - Math.min(before, depth);
    if (depth === 0 && before % 2 === 0) return close;
    at = close + 1;
  }
}

function blanksAfter(text: string, at: number): number {
  let after = at;
  while (after < text.length && /\s/.test(text[after]!)) after++;
  return after;
}
