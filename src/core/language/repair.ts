import { habits } from './habits.ts';

/** An expression put right, and what was wrong with it. */
export interface Repaired {
  readonly text: string;
  /** What is said of the first change. */
  readonly say: string;
  /** Where the first change is, in the text that was given. */
  readonly span: readonly [start: number, end: number];
}

/** How often one expression is changed: `a AND b AND c` takes one change each. */
const MOST_CHANGES = 12;

/** What a text weighs at least that can't be read. */
export const UNREAD = 1000;

/** Longer ones are left as they are: nobody writes such a line by habit. */
const LONGEST = 500;

/** How many changes are tried on one expression in all: each is parsed. */
const MOST_TRIALS = 150;

/**
 * Puts an expression right that has a habit of another language in it, or a slip of the keyboard. `problems` tells how much is
 * wrong with a text. What is returned is right as a whole; or it can be read after one change, where it could not be before.
 * Undefined where nothing helps.
 */
export function repair(text: string, problems: (text: string) => number): Repaired | undefined {
  if (text.length > LONGEST || /[\ue000-\uefff]/.test(text)) return undefined;
  const { masked, places, restore, foreign } = simplify(text);
  let trials = 0;
  let current = masked;
  const straight = restore(masked);
  if (foreign !== undefined && problems(straight) === 0)
    return {
      text: straight,
      say: "a text stands in straight quotes: 'abc'",
      span: [foreign, text.length],
    };
  const spanOf = ({ at, length }: Changed): [number, number] => [places[at]!, places[at + length]!];
  let readable: string | undefined;
  let first: Changed | undefined;
  // Only where all of it is right in the end is the reading certain; with less a person would follow a wrong lead.
  for (let changes = 0; changes < MOST_CHANGES; changes++) {
    if (changes > 0 && problems(restore(current)) === 0)
      return { text: restore(current), say: first!.say, span: spanOf(first!) };
    const next = oneChange(current, (one) => (++trials > MOST_TRIALS ? undefined : problems(restore(one))));
    if (!next) break;
    first ??= next;
    current = next.text;
    if (changes === 0 && problems(text) >= UNREAD && problems(restore(current)) < UNREAD) readable = current;
  }
  return readable === undefined
    ? undefined
    : { text: restore(readable), say: first!.say, span: spanOf(first!) };
}

interface Changed {
  readonly text: string;
  readonly say: string;
  readonly at: number;
  readonly length: number;
}

/**
 * The first change that leaves nothing wrong; or else that which leaves the least wrong, or after which most can be read. `problems` is undefined once enough has been tried.
 */
function oneChange(text: string, problems: (text: string) => number | undefined): Changed | undefined {
  let best: Changed | undefined;
  let least = Infinity;
  for (const change of [...byHabit(text), ...slips(text)]) {
    if (change.text === text || change.text.length > 2 * LONGEST) continue;
    const weight = problems(change.text);
    if (weight === undefined) break;
    if (weight === 0) return change;
    // Of those that are as good the first counts: the table has the likelier ones before.
    if (weight < least) [best, least] = [change, weight];
  }
  return best;
}

function* byHabit(text: string): Generator<Changed> {
  for (const habit of habits()) {
    const found = habit.find.exec(text);
    if (!found) continue;
    const written = habit.write(found);
    if (written === undefined) continue;
    const sign = found.indices?.groups?.sign;
    yield {
      text: text.slice(0, found.index) + written + text.slice(found.index + found[0].length),
      say: habit.say,
      at: sign?.[0] ?? found.index + /^\s*/.exec(found[0])![0].length,
      length: sign ? sign[1] - sign[0] : found[0].trim().length,
    };
  }
}

/** Brackets and quotes that were left open, or closed too often. */
function* slips(text: string): Generator<Changed> {
  const open: { readonly sign: string; readonly at: number }[] = [];
  const closing: Readonly<Record<string, string>> = { '(': ')', '[': ']', '{': '}' };
  for (let i = 0; i < text.length; i++) {
    const sign = text[i]!;
    if (sign in closing) open.push({ sign, at: i });
    else if (Object.values(closing).includes(sign)) {
      const last = open.at(-1);
      if (last && closing[last.sign] === sign) open.pop();
      else
        yield {
          text: text.slice(0, i) + text.slice(i + 1),
          say: `this ${sign} closes nothing`,
          at: i,
          length: 1,
        };
    }
  }
  const missing = open.at(-1);
  if (missing)
    yield {
      text:
        text +
        open
          .toReversed()
          .map(({ sign }) => closing[sign]!)
          .join(''),
      say: `this ${missing.sign} is not closed`,
      at: missing.at,
      length: 1,
    };
  const quote = /['"](?=[^'"]*$)/.exec(text);
  if (quote)
    yield {
      text: text + quote[0],
      say: `the text that begins with this ${quote[0]} has no end`,
      at: quote.index,
      length: 1,
    };
  const operator = /\s*(?:[-+*/%]|\?\?|&&|\|\||==|!=|<=?|>=?)\s*$/.exec(text);
  if (operator && operator.index > 0)
    yield {
      text: text.slice(0, operator.index),
      say: `nothing follows ${operator[0].trim()}`,
      at: operator.index + /^\s*/.exec(operator[0])![0].length,
      length: operator[0].trim().length,
    };
  const comma = /,(?=\s*[)\]}])|,\s*$/.exec(text);
  if (comma)
    yield {
      text: text.slice(0, comma.index) + text.slice(comma.index + comma[0].length),
      say: 'nothing follows this comma',
      at: comma.index,
      length: 1,
    };
}

/** Quotes of other kinds than ours, with those that close them. */
const QUOTES: Readonly<Record<string, string>> = {
  "'": "'",
  '"': '"',
  '`': '`',
  '“': '”',
  '‘': '’',
  '”': '”',
  '’': '’',
  '«': '»',
  '„': '“',
};

/** An expression as habits are looked for in it. */
interface Simplified {
  readonly masked: string;
  /** Where each character of `masked` begins in the text, and at last where the text ends. */
  readonly places: readonly number[];
  readonly restore: (text: string) => string;
  /** Where the first text in quotes of another kind begins. */
  readonly foreign: number | undefined;
}

/**
 * Puts one character in the place of each quoted text, so that a habit is looked for outside of them only. Texts in quotes of
 * other kinds get ours when they are put back. A run of blanks becomes one blank: a pattern would try each way of sharing it out.
 */
function inQuotes(text: string): string {
  return `'${text.replaceAll("'", "\\'")}'`;
}

/** What stands between backticks, joined: `rack ${id}` is 'rack ' + id. */
function ofTemplate(inner: string): string {
  return inner
    .split(/\$\{([^{}]*)\}/)
    .map((part, i) => (i % 2 === 0 ? inQuotes(part) : part.trim()))
    .filter((part, _, all) => part !== "''" || all.length === 1)
    .join(' + ');
}

function simplify(text: string): Simplified {
  const quoted: string[] = [];
  const places: number[] = [];
  let foreign: number | undefined;
  let masked = '';
  for (let i = 0; i < text.length; i++) {
    const close = QUOTES[text[i]!];
    const end = close === undefined ? -1 : endOfQuoted(text, i, close);
    if (end < 0) {
      if (/\s/.test(text[i]!) && /\s$/.test(masked)) continue;
      places.push(i);
      masked += text[i]!;
      continue;
    }
    const inner = text.slice(i + 1, end);
    const isOurs = text[i] === "'" || text[i] === '"';
    if (!isOurs) foreign ??= i;
    quoted.push(isOurs ? text.slice(i, end + 1) : text[i] === '`' ? ofTemplate(inner) : inQuotes(inner));
    places.push(i);
    masked += String.fromCharCode(0xe010 + quoted.length - 1);
    i = end;
  }
  places.push(text.length);
  const restore = (one: string): string =>
    one
      // A path that stood in quotes: by itself, or after a dot.
      .replace(/(\.?)\ue001([\ue010-\uefff])/g, (_, dot: string, char: string) => {
        const path = quoted[char.charCodeAt(0) - 0xe010]!.slice(1, -1);
        if (dot === '') return path;
        const below = `.${path.replace(/^\$?\.?/, '')}`;
        return below.replace(/\.(\d+)(?=[.[]|$)/g, '[$1]');
      })
      .replace(/[\ue010-\uefff]/g, (char) => quoted[char.charCodeAt(0) - 0xe010] ?? char);
  return { masked, places, restore, foreign };
}

function endOfQuoted(text: string, start: number, close: string): number {
  for (let i = start + 1; i < text.length; i++) {
    if (text[i] === '\\') i++;
    else if (text[i] === close) return i;
  }
  return -1;
}
