// What people bring from other languages, and how it is written here. A row is tried only where an expression has a problem.

import { functions } from './functions/index.ts';

/** A habit from elsewhere, as data. */
export interface Habit {
  /** Words by which `explain` finds it. */
  readonly words: readonly string[];
  /** What it looks like, in a text whose quoted parts are single characters of a private area. */
  readonly find: RegExp;
  /** The same as it is written here; undefined where it is none after all. */
  readonly write: (found: readonly (string | undefined)[]) => string | undefined;
  /** What is said of it: a sentence that begins with what was written. */
  readonly say: string;
  readonly example: readonly [elsewhere: string, here: string];
}

/** A quoted text, as one character: see `repair.ts`. */
const QUOTED = '[\\ue000-\\uefff]';
const NAME = '[A-Za-z_][A-Za-z0-9_]*';
const INDEX = '\\[[^\\[\\]]*(?:\\[[^\\[\\]]*\\][^\\[\\]]*)*\\]';
const PARENTHESES = '\\((?:[^()]|\\((?:[^()]|\\([^()]*\\))*\\))*\\)';
const START = `(?:${QUOTED}|[$@]|${NAME}|[0-9]+(?:\\.[0-9]+)?[a-z]*|${INDEX}|\\{[^{}]*\\})`;
const SEGMENT = `(?:\\.\\.?${NAME}|\\.\\*|${INDEX}|${PARENTHESES})`;
/** A path, a call, a literal. */
const VALUE = `(?:${START}${SEGMENT}*|${PARENTHESES})`;
/** The same, as short as it can be. */
const OBJECT = `(?:${START}${SEGMENT}*?|${PARENTHESES})`;

/** A pattern; what it has by the name `sign` is the place of the habit. */
/** Statuses by the words that the registry has for them: https://www.iana.org/assignments/http-status-codes */
const STATUS_WORDS: Readonly<Record<string, number>> = {
  created: 201,
  accepted: 202,
  'no content': 204,
  'not modified': 304,
  'bad request': 400,
  unauthorized: 401,
  forbidden: 403,
  'not found': 404,
  conflict: 409,
  gone: 410,
  'too many requests': 429,
  'internal server error': 500,
  'service unavailable': 503,
};

function statusOf(word: string): number {
  const letters = (text: string): string => text.toLowerCase().replace(/[^a-z]/g, '');
  return Object.entries(STATUS_WORDS).find(([one]) => letters(one) === letters(word))![1];
}

const of = (pattern: string, flags = ''): RegExp =>
  new RegExp(pattern, flags.includes('g') ? flags : `${flags}d`);

/** Whether something that a pattern took for a path is a word of the grammar. */
const isWord = (text: string): boolean => /^(?:and|or|not|in|is|if|then|else)$/i.test(text);

function method(
  names: string,
  write: (object: string, args: string) => string | undefined,
  say: string,
  [elsewhere, here]: Habit['example'],
): Habit {
  return {
    words: names.split('|'),
    find: of(`(?<![\\w.])(${OBJECT})\\.(?:${names})\\(((?:[^()]|${PARENTHESES})*)\\)`),
    write: ([, object = '', args = '']) => write(object, args.trim()),
    say,
    example: [elsewhere, here],
  };
}

function infix(
  words: string,
  write: (left: string, right: string) => string,
  say: string,
  example: Habit['example'],
): Habit {
  return {
    words: words.replace(/\\/g, '').split('|'),
    find: of(`(?<![\\w.$@\\]])(${VALUE})\\s*(?<sign>${words})\\s*(${VALUE})`),
    write: ([, left = '', , right = '']) => (isWord(left) || isWord(right) ? undefined : write(left, right)),
    say,
    example,
  };
}

function called(
  names: string,
  write: (args: string) => string | undefined,
  say: string,
  example: Habit['example'],
): Habit {
  return {
    words: names.replace(/\\/g, '').split('|'),
    find: of(`(?<![\\w.])(?:${names})\\(((?:[^()]|${PARENTHESES})*)\\)`),
    write: ([, args = '']) => write(args.trim()),
    say,
    example,
  };
}

/** `x => x.id == 1`: the parameter and what is made of it. */
function lambda(text: string): { readonly name: string; readonly body: string } | undefined {
  const [, name, body] = of(`^\\(?\\s*(${NAME})\\s*\\)?\\s*[=-]>\\s*(.+)$`, 's').exec(text) ?? [];
  return name === undefined || body === undefined ? undefined : { name, body };
}

/** A condition on the item, for `[?…]`. */
function onItem(text: string): string {
  const found = lambda(text);
  if (!found) return text;
  const body = found.body.replace(of(`(?<![\\w.])${found.name}(?!\\w)`, 'g'), '@');
  // A path alone asks here whether it is there, elsewhere whether it is true.
  return /^@(?:\.\w+|\[\d+\])+$/.test(body) ? `${body} == true` : body;
}

/** The same for `any`, `every` and `map`. */
function eachOf(name: string, list: string, text: string): string {
  const found = lambda(text);
  return found ? `${name}(${found.name} in ${list}, ${found.body})` : `${name}(${list}, ${text})`;
}

/** Comparisons in words. */
const COMPARISONS: Readonly<Record<string, string>> = {
  'is not': '!=',
  not: '!=',
  'not equal': '!=',
  'not equals': '!=',
  neq: '!=',
  ne: '!=',
  gte: '>=',
  ge: '>=',
  'at least': '>=',
  gt: '>',
  'greater than': '>',
  'more than': '>',
  'bigger than': '>',
  above: '>',
  over: '>',
  lte: '<=',
  le: '<=',
  'at most': '<=',
  lt: '<',
  'less than': '<',
  below: '<',
  under: '<',
};

/** Where arguments part: at commas that stand in no brackets. */
function argumentsOf(text: string): string[] {
  const parts: string[] = [];
  let depth = 0;
  let from = 0;
  for (let i = 0; i < text.length; i++) {
    const quote = text[i] === "'" || text[i] === '"' ? text.indexOf(text[i]!, i + 1) : -1;
    if (quote > 0) i = quote;
    else if ('([{'.includes(text[i]!)) depth++;
    else if (')]}'.includes(text[i]!)) depth--;
    else if (text[i] === ',' && depth === 0) {
      parts.push(text.slice(from, i).trim());
      from = i + 1;
    }
  }
  return [...parts, text.slice(from).trim()].filter((part) => part !== '');
}

/** The first example of a function that begins with its call. */
function exampleOf(here: string): string {
  return functions.get(here)!.examples.find(([one]) => one.startsWith(`${here}(`))?.[0] ?? '';
}

/** Functions of other languages that have another name here, and take the same. */
const OTHER_NAMES: Readonly<Record<string, string>> = {
  length: 'len size strlen count_items',
  begins: 'startsWith starts_with startswith hasPrefix prefix',
  ends: 'endsWith ends_with endswith hasSuffix suffix',
  contains: 'includes include has_item',
  upper: 'toUpper uppercase upcase ucase to_upper toUpperCase',
  lower: 'toLower lowercase downcase lcase to_lower toLowerCase',
  trim: 'strip trimmed',
  slice: 'substring substr sublist mid',
  text: 'str string String toString tostring to_string',
  number: 'int float num parseInt parseFloat Number toNumber tonumber to_number parse_number',
  average: 'avg mean',
  ceil: 'ceiling',
  kind: 'typeof typeOf type_of',
  exists: 'defined isset isDefined is_defined present has isPresent',
  if: 'ifelse iif ternary cond choose_if',
  every: 'all forall forAll for_all allOf all_of all_match everyOf',
  any: 'some',
  base64: 'btoa b64 base64encode base64_encode b64encode toBase64 encode64',
  unbase64: 'atob base64decode base64_decode b64decode fromBase64 decode64',
  percent: 'urlencode url_encode urlEncode encodeURIComponent encodeURI uriEncode',
  unpercent: 'urldecode url_decode urlDecode decodeURIComponent uriDecode',
  search: 'regex regexp regexMatch regex_match regexTest regex_search',
  matches: 'findall find_all matchAll match_all scan',
  unique: 'uniq distinct dedupe',
  flat: 'flatten',
  group: 'groupBy group_by groupby',
  sort: 'sortBy sort_by sorted orderBy order_by',
  sum: 'total',
  random: 'rand randint randomInt',
  uuid: 'guid uuid4 newGuid new_uuid randomUUID uuidv4',
  format: 'formatDate format_date date_format strftime dateFormat formatNumber',
  time: 'Date parseDate parse_date toDate to_date datetime strptime parseTime',
  epoch: 'unix timestamp unixTime to_unix toUnix',
  parse: 'JSON.parse fromJson from_json fromjson parseJson parse_json json_decode json.loads',
  json: 'JSON.stringify toJson to_json tojson stringify json_encode json.dumps',
  floor: 'Math.floor trunc',
  round: 'Math.round',
  abs: 'Math.abs absolute',
  keys: 'Object.keys',
  values: 'Object.values',
  entries: 'Object.entries items_of',
  merge: 'Object.assign combine',
  object: 'Object.fromEntries fromEntries dict',
  without: 'omit exclude',
  zip: 'zip_lists',
  near: 'approx closeTo almost',
};

/** By the other name: the name here. */
export function otherNames(): ReadonlyMap<string, string> {
  return new Map(
    Object.entries(OTHER_NAMES).flatMap(([here, others]) =>
      others.split(' ').map((other) => [other, here] as const),
    ),
  );
}

function renamedExample(other: string, here: string): Habit['example'] {
  const [text] = functions.get(here)!.examples.find(([one]) => one.includes(`${here}(`))!;
  return [text.replace(`${here}(`, `${other}(`), text];
}

const renamed = (): readonly Habit[] =>
  [...otherNames()].map(([other, here]) => ({
    words: [other],
    find: of(`(?<![\\w.])${other.replace('.', '\\.')}(?=\\()`),
    write: () => here,
    say: `${other}(…) is called ${here}(…) here`,
    example: renamedExample(other, here),
  }));

/** Methods that are functions here, with the value as their first argument. */
const METHODS: Readonly<Record<string, string>> = {
  contains: 'includes|contains',
  begins: 'startsWith|startswith|starts_with|begins',
  ends: 'endsWith|endswith|ends_with|ends',
  upper: 'toUpperCase|toUpper|upper|upcase',
  lower: 'toLowerCase|toLower|lower|downcase',
  trim: 'trim|strip',
  split: 'split',
  join: 'join',
  replace: 'replace|replaceAll',
  slice: 'slice|substring|substr',
  reverse: 'reverse',
  text: 'toString|to_s|str',
  keys: 'keys',
  values: 'values',
  first: 'first',
  last: 'last',
  unique: 'uniq|unique|distinct',
  flat: 'flat|flatten',
  sum: 'sum',
  search: 'search|test|matches',
};

const methods = (): readonly Habit[] =>
  Object.entries(METHODS).map(([here, names]) => {
    const [name] = names.split('|') as [string];
    return method(
      names,
      (object, args) => `${here}(${args === '' ? object : `${object}, ${args}`})`,
      `.${name}(…) is a function here: ${here}(x, …)`,
      [
        exampleOf(here).replace(of(`^${here}\\((.*?)\\)(?=[^)]*$)`, 's'), (_, args: string) => {
          const [object = '', ...others] = argumentsOf(args);
          return `${object}.${name}(${others.join(', ')})`;
        }),
        exampleOf(here),
      ],
    );
  });

/** Words for units of time. */
const UNITS: readonly (readonly [unit: string, words: string])[] = [
  ['ms', 'milliseconds?|millis|msecs?'],
  ['s', 'seconds?|secs?'],
  ['m', 'minutes?|mins?'],
  ['h', 'hours?|hrs?'],
  ['d', 'days?'],
];

const durations = (): readonly Habit[] => [
  ...UNITS.map(([unit, words]): Habit => ({
    words: words.replace(/\?/g, '').split('|'),
    find: of(`(?<![\\w.])([0-9]+(?:\\.[0-9]+)?)\\s*(?:${words}|(?<=\\s)${unit})(?![\\w(])`, 'i'),
    write: ([, count = '']) => `${count}${unit}`,
    say: `a duration is a number and its unit without a blank: 3${unit}`,
    example: [`3 ${words.replace(/\?.*|\|.*/g, '')}`, `3${unit}`],
  })),
  {
    words: ['weeks', 'week', '2w'],
    find: of('(?<![\\w.])([0-9]{1,4})\\s*(?<sign>weeks?|w)(?![\\w(])', 'i'),
    write: ([, count = '']) => `${Number(count) * 7}d`,
    say: 'the longest unit of a duration is the day: 14d',
    example: ['now() + 2 weeks > now()', 'now() + 14d > now()'],
  },
  {
    words: ['10KB', '10MB'],
    find: of('(?<![\\w.])([0-9]{1,6})\\s*(?<sign>[kmg]i?b)(?![\\w(])', 'i'),
    write: ([, count = '', unit = '']) => {
      const base = /i/i.test(unit) ? 1024 : 1000;
      return String(Number(count) * base ** ('kmg'.indexOf(unit[0]!.toLowerCase()) + 1));
    },
    say: 'a size is a number of bytes',
    example: ['size < 10KB', 'size < 10000'],
  },
  {
    words: ['1m 30s'],
    find: /(?<![\w.])((?:\d+(?:\.\d+)?(?:ms|s|m|h|d))+)\s+((?:\d+(?:\.\d+)?(?:ms|s|m|h|d))+)(?!\w)/,
    write: ([, left = '', right = '']) => `${left}${right}`,
    say: 'the parts of a duration stand together: 1m30s',
    example: ['1m 30s', '1m30s'],
  },
];

/** Kinds of values by their names elsewhere. */
const KINDS: Readonly<Record<string, string>> = {
  number: 'number',
  integer: 'number',
  int: 'number',
  float: 'number',
  string: 'text',
  text: 'text',
  str: 'text',
  array: 'list',
  list: 'list',
  object: 'object',
  map: 'object',
  dict: 'object',
  boolean: 'yes or no',
  bool: 'yes or no',
};

/** What stands for another value in other languages. */
const WORDS: readonly (readonly [words: string, here: string])[] = [
  ['True|TRUE|yes|Yes|YES', 'true'],
  ['False|FALSE|no|No|NO', 'false'],
  ['None|Null|NULL|nil|Nil', 'null'],
  ['undefined|missing|absent', 'nothing'],
  [
    'status_code|statusCode|http_status|httpStatus|status_text|response_code|responseCode|http_code',
    'status',
  ],
  ['now|NOW', 'now()'],
  ['duration|took|latency|response_time|responseTime', 'elapsed'],
  ['content_type|contentType|mime|mimeType|media_type', 'type'],
  ['bytes|content_length|contentLength', 'size'],
];

const words = (): readonly Habit[] =>
  WORDS.flatMap(([names, here]) =>
    names.split('|').map((name): Habit => ({
      words: [name],
      find: of(`(?<![\\w.$@])${name}(?![\\w(.]|\\s*:)`),
      write: () => here,
      say: `${name} is written ${here} here`,
      example: [`x == ${name}`, `x == ${here}`],
    })),
  );

let made: readonly Habit[] | undefined;

/** All of them, in the order in which they are tried; made when they are first needed, since a file without a fault needs none. */
export function habits(): readonly Habit[] {
  return (made ??= makeHabits());
}

const makeHabits = (): readonly Habit[] => [
  // ---- around a whole expression
  {
    words: ['{{', '}}', 'double braces'],
    find: /\{\{\s*([^{}]+?)\s*\}\}/,
    write: ([, inner = '']) => inner,
    say: '{{ }} has no meaning here; in an expression a name stands bare',
    example: ['{{x}} > 1', 'x > 1'],
  },
  {
    words: ['#{', '%{'],
    find: /[#%]\{\s*([^{}]+?)\s*\}/,
    write: ([, inner = '']) => inner,
    say: '#{ } has no meaning here; in an expression a name stands bare',
    example: ['#{x} > 1', 'x > 1'],
  },
  {
    words: ['$x', 'variable', 'dollar'],
    find: of(`(?<![\\w.\\])$])\\$(?=${NAME})`),
    write: () => '',
    say: '$ is the response; a name stands bare',
    example: ['$x > 1', 'x > 1'],
  },
  {
    words: [':x'],
    find: of(`(?:(?<=^|[=<>!(,&|]\\s*)):(?=${NAME})`),
    write: () => '',
    say: 'a name stands bare, without a colon',
    example: ['x == :y', 'x == y'],
  },
  {
    words: ['map(list, .x)', '.x of an item'],
    find: of(
      `(?<![\\w.])((?:map|any|every|sort|min|max|unique|group)\\([^(),]*,\\s*)(?<sign>\\.)(?=${NAME})`,
    ),
    write: ([, before = '']) => `${before}@.`,
    say: 'the item of the list is @',
    example: ['map($.a, .b)', 'map($.a, @.b)'],
  },
  {
    words: ['< =', '> =', '! ='],
    find: /(?<=[<>!])\s+(?==)/,
    write: () => '',
    say: 'the signs of a comparison stand together: <=',
    example: ['n < = 5', 'n <= 5'],
  },
  {
    words: ['.x'],
    find: /(?:^|(?<=[=<>!(,&|]\s*|^\s*))\.(?=[A-Za-z_[])/,
    write: () => '$.',
    say: 'a path begins with $, the response',
    example: ['.x == 1', '$.x == 1'],
  },
  {
    words: [';'],
    find: /\s*;\s*$/,
    write: () => '',
    say: 'an expression has no semicolon',
    example: ['x == 1;', 'x == 1'],
  },
  // ---- choices
  {
    words: ['?:', 'ternary'],
    find: /^([^?]+?)\s\?\s([^:?]+?)\s:\s(.+)$/s,
    write: ([, condition = '', yes = '', no = '']) => `if(${condition}, ${yes}, ${no})`,
    say: 'c ? a : b is written if(c, a, b)',
    example: ["x > 1 ? 'a' : 'b'", "if(x > 1, 'a', 'b')"],
  },
  {
    words: ['if else'],
    find: /^(.+?)\s+if\s+(.+?)\s+else\s+(.+)$/s,
    write: ([, yes = '', condition = '', no = '']) => `if(${condition}, ${yes}, ${no})`,
    say: 'a if c else b is written if(c, a, b)',
    example: ["'a' if x > 1 else 'b'", "if(x > 1, 'a', 'b')"],
  },
  {
    words: ['if then'],
    find: /^if\s+(.+?)\s+then\s+(.+?)\s+else\s+(.+?)(?:\s+end)?$/s,
    write: ([, condition = '', yes = '', no = '']) => `if(${condition}, ${yes}, ${no})`,
    say: 'if c then a else b is written if(c, a, b)',
    example: ["if x > 1 then 'a' else 'b'", "if(x > 1, 'a', 'b')"],
  },
  {
    words: ['?.', 'optional chaining'],
    find: /\?\.(?=[A-Za-z_[])/,
    write: () => '.',
    say: '?. is not needed: a path that finds nothing is nothing, and ?? gives another value',
    example: ["$.a?.b ?? 'c'", "$.a.b ?? 'c'"],
  },
  {
    words: ['!= a or b', 'not a or b', 'none of'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s*(?:!==?|<>|\\bis not\\b)\\s*(${QUOTED}|[0-9.]+|[1-5]xx)(?<sign>\\s*(?:\\|\\|?|&&?|\\bor\\b|\\band\\b)\\s*)(${QUOTED}|[0-9.]+|[1-5]xx)(?=\\s*(?:$|[)\\]&]))`,
      'i',
    ),
    write: ([, value = '', one = '', , other = '']) =>
      isWord(value) ? undefined : `!(${value} in [${one}, ${other}])`,
    say: 'none of several values is written !(x in [a, b])',
    example: ["$.a != 'b' or 'c'", "!($.a in ['b', 'c'])"],
  },
  {
    words: ['decimal comma', '11,9'],
    find: of(String.raw`(?<=[=<>]\s*)(\d+),(\d{1,2})(?=\s*(?:$|[)&|]))`),
    write: ([, whole = '', part = '']) => `${whole}.${part}`,
    say: 'a number has a point before its decimals',
    example: ['$.price == 11,9', '$.price == 11.9'],
  },
  {
    words: ['== a or b', '== a || b', 'one of'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s*(?:===?|(?<![=!<>])=|\\bis\\b)\\s*(${QUOTED}|[0-9.]+)(?<sign>\\s*(?:\\|\\|?|\\bor\\b|,)\\s*)((?:${QUOTED}|[0-9.]+)(?:\\s*(?:\\|\\|?|\\bor\\b|,)\\s*(?:${QUOTED}|[0-9.]+))*)(?=\\s*(?:$|[)\\]&]))`,
      'i',
    ),
    write: ([, value = '', first = '', , others = '']) =>
      isWord(value)
        ? undefined
        : `${value} in [${[first, ...others.split(/\s*(?:\|\|?|\bor\b|,)\s*/i)].join(', ')}]`,
    say: 'one of several values is written in [a, b]',
    example: ["$.a == 'b' || 'c'", "$.a in ['b', 'c']"],
  },
  {
    words: ['||', 'default', 'or default'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s*(?<sign>\\|\\||\\bor\\b)\\s*(null|nothing|${QUOTED}|[0-9.]+|\\[\\]|\\{\\})$`,
    ),
    write: ([, value = '', , other = '']) => `${value} ?? ${other}`,
    say: '|| joins conditions; a value in place of nothing follows ??',
    example: ["$.a || 'b'", "$.a ?? 'b'"],
  },
  {
    words: ['lambda', 'arrow function', 'x => x.id'],
    find: of(`(?<![\\w.])(map|any|every|sort|min|max|unique|group)\\(((?:[^()]|${PARENTHESES})*)\\)`),
    write: ([, name = '', args = '']) => {
      const [list, second, ...more] = argumentsOf(args);
      const found = second === undefined ? undefined : lambda(second);
      return found && more.length === 0 ? `${name}(${found.name} in ${list!}, ${found.body})` : undefined;
    },
    say: 'an item gets its name in front of the list: map(item in list, item.id)',
    example: ['map($.a, i => i.b)', 'map(i in $.a, i.b)'],
  },
  {
    words: ['inputs.x', 'vars.x'],
    find: of(
      `(?<![\\w.$@])(?:inputs?|vars?|variables|params|parameters|ctx|context|env|globals)\\.(?=${NAME})`,
    ),
    write: () => '',
    say: 'a name stands by itself',
    example: ['inputs.n == 5', 'n == 5'],
  },
  {
    words: ['status.code'],
    find: /\bstatus\.(?:code|value|number)\b/d,
    write: () => 'status',
    say: 'the status of the response is status',
    example: ['status.code == 200', 'status == 200'],
  },
  {
    words: ['status == ok'],
    find: /\bstatus\s*==\s*(?:ok|OK|success|succeeded)\b/d,
    write: () => 'status == 2xx',
    say: 'a status is a number, and 2xx stands for all that went well',
    example: ['status == ok', 'status == 2xx'],
  },
  {
    words: ['status == created'],
    find: of(
      `\\bstatus\\s*={1,3}\\s*(${Object.keys(STATUS_WORDS).join('|').replaceAll(' ', '[_ -]?')})(?=\\s*(?:$|[)&|]))`,
      'i',
    ),
    write: ([, word = '']) => `status == ${statusOf(word)}`,
    say: 'a status is a number',
    example: ['status == created', 'status == 201'],
  },
  {
    words: ['.['],
    find: /(?<=[\w\])])\.\[/d,
    write: () => '[',
    say: 'no dot stands before a bracket',
    example: ['$.a.[0].b', '$.a[0].b'],
  },
  {
    words: ['as number', 'as date', '::int', 'cast'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s*(?<sign>\\bas\\s+|::)(date|time|datetime|timestamp|number|int|integer|float|decimal|numeric|string|text|str)\\b`,
      'i',
    ),
    write: ([, value = '', , kind = '']) => {
      if (isWord(value)) return undefined;
      const name = /^[dt](?:at|im)e/i.test(kind) ? 'time' : /^(?:s|te)/i.test(kind) ? 'text' : 'number';
      return `${name}(${value})`;
    },
    say: 'a value of another kind comes from a function: number(x), text(x), time(x)',
    example: ["'2026-03-01' as date > now()", "time('2026-03-01') > now()"],
  },
  {
    words: ['every(list.member > 1)', 'any(list.member > 1)'],
    find: of(
      `(?<![\\w.])(every|any)\\(\\s*((?:[$@]|\\b${NAME})${SEGMENT}*?)(?:\\[\\*\\])?\\.(${NAME})\\s*([=!<>]=?|in\\b)\\s*([^,()]+)\\)`,
    ),
    write: ([, name = '', list = '', member = '', operator = '', other = '']) =>
      `${name}(${list}, @.${member} ${operator} ${other.trim()})`,
    say: 'the list comes first, then the condition, with @ for the item: every(list, @.x > 1)',
    example: ['every($.a.b <= 10)', 'every($.a, @.b <= 10)'],
  },
  {
    words: ['every(x in list: …)', 'for x in list'],
    find: of(
      `(?<![\\w.])(every|any|map)\\((\\s*${NAME}\\s+in\\s+(?:[^()]|${PARENTHESES})*?)\\s*(?<sign>[:;])`,
    ),
    write: ([, name = '', list = '']) => `${name}(${list},`,
    say: 'a comma parts the list from the condition',
    example: ['every(p in $.a; p.b > 1)', 'every(p in $.a, p.b > 1)'],
  },
  {
    words: ['response.time', 'response_time', 'duration'],
    find: /(?<![\w.])(?:response|res)\.(?:time|elapsed_?(?:ms|time)?|duration|latency|response_?time)(?![\w(])/i,
    write: () => 'elapsed',
    say: 'how long the response took is elapsed',
    example: ['response.time < 2s', 'elapsed < 2s'],
  },
  {
    words: ['get(x, path)', 'get', 'jsonpath', 'pluck'],
    find: of(
      `(?<![\\w.])(?:get|jsonpath|json_path|JSONPath|dig|_\\.get|path)\\(\\s*(\\$|body|response|@|${NAME})\\s*,\\s*(${QUOTED})\\)`,
    ),
    write: ([, object = '', path = '']) =>
      `${object === 'body' || object === 'response' ? '$' : object}.\ue001${path}`,
    say: 'a member is reached by its path: $.a.b',
    example: ["get($, 'a.b') == 5", '$.a.b == 5'],
  },
  method(
    'format|strftime|toISODate|toDateString|isoformat',
    (object, args) => (args === '' ? `date(${object})` : `format(${object}, ${args})`),
    '.format(…) is a function here: format(value, pattern)',
    ["now().format('yyyy')", "format(now(), 'yyyy')"],
  ),
  {
    words: ['in a, b', 'in 200, 201'],
    find: of(
      `\\bin\\s+((?:${QUOTED}|[0-9.]+))\\s*(?<sign>,|\\bor\\b)((?:\\s*(?:${QUOTED}|[0-9.]+)\\s*(?:,|\\bor\\b)?)+)(?=\\s*(?:$|[)&|]))`,
      'i',
    ),
    write: ([, first = '', , others = '']) =>
      `in [${[first, ...others.split(/,|\bor\b/i).map((one) => one.trim())].filter((one) => one !== '').join(', ')}]`,
    say: 'a list stands in brackets',
    example: ['n in 4, 5', 'n in [4, 5]'],
  },
  {
    words: ['exists', 'is defined', 'is present', 'not exists', 'is missing', 'undefined'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s+(?<sign>(?:is\\s+)?(?:not\\s+|!\\s*)?(?:exists?|defined|present|missing|absent|undefined)(?:\\s+and\\s+(?:is\\s+)?not\\s+(?:null|empty))?)(?:\\s+(and|or)\\b|(?=\\s*(?:$|[)&|])))`,
      'i',
    ),
    write: ([, value = '', sign = '', joint]) =>
      isWord(value)
        ? undefined
        : `${/^(?:is\s+)?(?:not|!|missing|absent|undefined)/i.test(sign) ? '!' : ''}exists(${value})${joint === undefined ? '' : /and/i.test(joint) ? ' &&' : ' ||'}`,
    say: 'whether something is there is asked by exists(x)',
    example: ['$.a is defined', 'exists($.a)'],
  },
  {
    words: ['it', 'item', 'this', '_'],
    find: of(`(?<![\\w.$@])(?:\\$?it|\\$?item|\\$?_|this|elem|element|self|cur)(?=\\.${NAME})`),
    write: () => '@',
    say: 'the item of the list is @',
    example: ['every($.a, it.b > 1)', 'every($.a, @.b > 1)'],
  },
  {
    words: ['list comprehension', '[x for x in list]'],
    find: of(
      `\\[\\s*((?:[^\\[\\]]|${INDEX})+?)\\s+(?<sign>for)\\s+(${NAME})\\s+in\\s+(${VALUE})(?:\\s+if\\s+((?:[^\\[\\]]|${INDEX})+?))?\\s*\\]`,
    ),
    write: ([, what = '', , name = '', list = '', condition]) => {
      const item = of(`(?<![\\w.])${name}(?!\\w)`, 'g');
      const kept = condition === undefined ? list : `${list}[?${condition.replace(item, '@')}]`;
      return what === name ? kept : `map(${name} in ${kept}, ${what})`;
    },
    say: 'a list is made of another one by map(item in list, item.id)',
    example: ['[p.b for p in $.a]', 'map(p in $.a, p.b)'],
  },
  {
    words: ['length(x > 0)'],
    find: of(
      `(?<![\\w.])(length|count|sum|number|average|max|min|upper|lower|trim|first|last)\\((${VALUE})\\s*(?<sign>[<>]=?|==|!=)\\s*(${VALUE})\\)`,
    ),
    write: ([, name = '', value = '', sign = '', other = '']) => `${name}(${value}) ${sign} ${other}`,
    say: 'the parenthesis closes before the comparison: length(x) > 0',
    example: ['length($.a > 0)', 'length($.a) > 0'],
  },
  {
    words: ['isNumber', 'isString', 'isArray', 'is_list'],
    find: of(`(?<![\\w.])is_?(${Object.keys(KINDS).join('|')})\\(((?:[^()]|${PARENTHESES})*)\\)`, 'i'),
    write: ([, kind = '', value = '']) => `kind(${value}) == '${KINDS[kind.toLowerCase()]!}'`,
    say: "of which kind a value is tells kind(x): kind(x) == 'number'",
    example: ['isNumber($.a)', "kind($.a) == 'number'"],
  },
  {
    words: ['is number', 'is a string', 'instanceof'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s+(?<sign>is(?:\\s+an?)?|instanceof)\\s+(${Object.keys(KINDS).join('|')})\\b`,
      'i',
    ),
    write: ([, value = '', , kind = '']) =>
      isWord(value) ? undefined : `kind(${value}) == '${KINDS[kind.toLowerCase()]!}'`,
    say: "of which kind a value is tells kind(x): kind(x) == 'number'",
    example: ['$.a is a number', "kind($.a) == 'number'"],
  },
  {
    words: ['typeof x'],
    find: of(`(?<![\\w.$@])(?<sign>typeof)\\s+(${OBJECT})(?=\\s*(?:$|[=!)&|]))`),
    write: ([, , value = '']) => `kind(${value})`,
    say: 'of which kind a value is tells kind(x)',
    example: ["typeof $.a == 'text'", "kind($.a) == 'text'"],
  },
  {
    words: ['.sort((a, b) => a.x - b.x)'],
    find: of(
      `(?<![\\w.])(${OBJECT})\\.sort\\(\\s*\\(\\s*(${NAME})\\s*,\\s*(${NAME})\\s*\\)\\s*=>\\s*(\\2|\\3)\\.(${NAME})\\s*-\\s*(?:\\2|\\3)\\.\\5\\s*\\)`,
    ),
    write: ([, list = '', first = '', , from = '', member = '']) =>
      from === first ? `sort(${list}, @.${member})` : `reverse(sort(${list}, @.${member}))`,
    say: 'sort takes what is sorted by: sort(list, @.x)',
    example: ['$.a.sort((a, b) => a.b - b.b)', 'sort($.a, @.b)'],
  },
  {
    words: ['now() + 1 month', 'months', 'years'],
    find: of(
      `((?:now|time|shift)\\((?:[^()]|${PARENTHESES})*\\)|[$@][\\w.[\\]]*|${NAME})\\s*([-+])\\s*([0-9]{1,4})\\s*(?<sign>month|year)s?(?!\\w)`,
      'i',
    ),
    write: ([, time = '', sign = '', count = '', unit = '']) =>
      `shift(${/^[$@]/.test(time) ? `time(${time})` : time}, { ${unit.toLowerCase()}s: ${sign === '-' ? '-' : ''}${count} })`,
    say: 'months and years differ in length, so a time is moved by the calendar: shift(time, { months: 1 })',
    example: ['now() + 1 month > now()', 'shift(now(), { months: 1 }) > now()'],
  },
  {
    words: ['query(url)', 'parseQuery', 'parse_qs'],
    find: of(
      `(?<![\\w.])(?:query|parse_?query|parse_qs|queryParams|query_params)\\(((?:[^()]|${PARENTHESES})*)\\)`,
      'i',
    ),
    write: ([, text = '']) => `url(${text}).query`,
    say: 'the parameters of a URL are url(text).query',
    example: ["query(x).page == '2'", "url(x).query.page == '2'"],
  },
  {
    words: ['?:', 'elvis'],
    find: /\s*\?:\s*/d,
    write: () => ' ?? ',
    say: 'a value in place of nothing follows ??',
    example: ["$.a ?: 'b'", "$.a ?? 'b'"],
  },
  {
    words: ['[first]', '[last]'],
    find: of(`(?<![\\w.])((?:[$@]|${NAME})(?:\\.${NAME}|\\[\\d+\\])*)(?<sign>\\[(first|last)\\])`),
    write: ([, list = '', , which = '']) => `${which}(${list})`,
    say: 'the first and the last item are given by functions: first(list), last(list)',
    example: ['$.a[first].b', 'first($.a).b'],
  },
  {
    words: ['++', '--'],
    find: of(`(${NAME}(?:\\.${NAME})*)(?<sign>\\+\\+|--)(?=\\s*$)`),
    write: ([, value = '', sign = '']) => `${value} ${sign[0]!} 1`,
    say: 'nothing changes a value; one more is x + 1',
    example: ['n++', 'n + 1'],
  },
  {
    words: ['datetime.now()', 'DateTime.Now'],
    find: /(?<![\w.])(?:datetime|DateTime|date|moment|dayjs)\.(?:now|utcnow|Now|UtcNow|today)(?:\(\))?/d,
    write: () => 'now()',
    say: 'the time is now()',
    example: ['datetime.now() > time($.a)', 'now() > time($.a)'],
  },
  {
    words: ['sum(list, x.y)'],
    find: of(`(?<![\\w.])(sum|average)\\(\\s*([^(),]+?)\\s*(?<sign>,)\\s*(@[^(),]*)\\)`),
    write: ([, name = '', list = '', , item = '']) => `${name}(map(${list}, ${item}))`,
    say: 'sum and average take the list of what is summed: sum(map(list, @.x))',
    example: ['sum($.a, @.b)', 'sum(map($.a, @.b))'],
  },
  {
    words: ['hmac_sha256'],
    find: of(
      `(?<![\\w.])(?:hmac_?sha|HmacSHA|hmacSha)_?-?(256|384|512|1)\\(\\s*([^(),]+?)\\s*,\\s*([^(),]+?)\\s*\\)`,
    ),
    write: ([, bits = '', one = '', other = '']) => {
      const [key, data] = /secret|key/i.test(one) ? [one, other] : [other, one];
      return `hex(hmac(${key}, ${data}, '${bits === '1' ? 'sha' : `sha-${bits}`}'))`;
    },
    say: "a keyed digest is hex(hmac(key, data, 'sha-256'))",
    example: ['hmac_sha256(x, y)', "hex(hmac(y, x, 'sha-256'))"],
  },
  {
    words: ['1..5'],
    find: /^\s*(-?\d+)\s*(?<sign>\.\.\.?)\s*(-?\d+)\s*$/d,
    write: ([, low = '', , high = '']) => `range(${low}, ${high})`,
    say: 'a list of numbers is range(1, 5)',
    example: ['1..5', 'range(1, 5)'],
  },
  {
    words: ['range(5)'],
    find: /(?<![\w.])range\(\s*(\d+)\s*\)/,
    write: ([, high = '']) => `range(1, ${high})`,
    say: 'range takes both ends: range(1, 5)',
    example: ['range(5)', 'range(1, 5)'],
  },
  {
    words: ['today'],
    find: /^\s*(?<sign>today)(?:\(\))?\s*$/d,
    write: () => 'date(now())',
    say: 'the day of today is date(now())',
    example: ['today()', 'date(now())'],
  },
  {
    words: ['between a and b'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s+(?<sign>(?:is\\s+)?between)\\s+(${VALUE})\\s*(?:and|&&|,|\\.\\.)\\s*(${VALUE})`,
      'i',
    ),
    write: ([, value = '', , low = '', high = '']) =>
      isWord(value) ? undefined : `${value} >= ${low} && ${value} <= ${high}`,
    say: 'a value between two others is two comparisons',
    example: ['n between 1 and 9', 'n >= 1 && n <= 9'],
  },
  {
    words: ['random(1..6)', 'range(1..6)'],
    find: /(?<![\w.])(random|range)\(\s*(-?\d+)\s*(?<sign>\.\.\.?|-|to|:)\s*(-?\d+)\s*\)/d,
    write: ([, name = '', low = '', , high = '']) => `${name}(${low}, ${high})`,
    say: 'the two ends have a comma between them',
    example: ['length(range(1..6)) == 6', 'length(range(1, 6)) == 6'],
  },
  {
    words: ['today', 'current_time', 'utcnow'],
    find: of(
      `(?<![\\w.$@])(?:today|current_time|currentTime|utcnow|utc_now|right_now)(?:\\(\\))?(?![\\w(.])`,
    ),
    write: () => 'now()',
    say: 'the time is now()',
    example: ['time($.a) < today', 'time($.a) < now()'],
  },
  {
    words: ['status code', 'http status', 'response status'],
    find: /(?<![\w.$@])(?:(?:http|response)\s+)?status\s+code\b|(?<![\w.$@])(?:http|response)\s+status\b/i,
    write: () => 'status',
    say: 'the status of the response is status',
    example: ['status code == 200', 'status == 200'],
  },
  {
    words: ['time < 2s', 'took'],
    find: /(?<![\w.$@])(?:time|took|response time|time taken)(?=\s*[<>]=?\s*[0-9.]+\s*m?s)/i,
    write: () => 'elapsed',
    say: 'how long the response took is elapsed',
    example: ['time < 800ms', 'elapsed < 800ms'],
  },
  {
    words: ['application/json', 'media type without quotes'],
    find: /(?<=(?:[=(,[]|\bin)\s*)((?:application|text|image|audio|video|multipart|font)\/[\w.+*-]+)(?=\s*(?:$|[)\],&|]))/d,
    write: ([, type = '']) => `'${type}'`,
    say: 'text stands in quotes',
    example: ['type == application/json', "type == 'application/json'"],
  },
  {
    words: ['[?x == 1]', 'filter without @'],
    find: of(
      `(?<=\\[\\?(?:[^\\[\\]]*?(?:&&|\\|\\|))?\\s*\\(?\\s*!?)(?<sign>(?!(?:true|false|null|nothing)\\b)${NAME})(?=[.\\[\\s]*(?:${NAME}[.\\s]*)*(?:[=!<>]=?|in\\b|[)\\]&|]))`,
    ),
    write: ([, name = '']) => `@.${name}`,
    say: 'the item that a filter looks at is @, and its members follow a dot: [?@.x == 1]',
    example: ["$.a[?b == 'c']", "$.a[?@.b == 'c']"],
  },
  {
    words: ['type == json', 'content-type == json'],
    find: /(?<![\w.$@])type\s*==?\s*(json|xml|html|csv|text|pdf)\b/,
    write: ([, word = '']) => `contains(type, '${word}')`,
    say: 'type is the whole media type; contains asks for a part of it',
    example: ['type == json', "contains(type, 'json')"],
  },
  {
    words: ['then stop'],
    find: /\s+(?<sign>then)\s+(?:stop|break|end|done|exit|continue|fail|ok|pass)\s*$/di,
    write: () => '',
    say: 'the condition stands by itself',
    example: ['n == 5 then stop', 'n == 5'],
  },
  {
    words: ['in (a, b)'],
    find: of(`(?<sign>\\bin)\\s*\\(([^()]*)\\)`),
    write: ([, , items = '']) => `in [${argumentsOf(items).join(', ')}]`,
    say: 'a list stands in brackets',
    example: ['n in (4, 5)', 'n in [4, 5]'],
  },
  {
    words: ['str.upper'],
    find: of(
      `(?<![\\w.$@])(?:str|string|text|math|array|list|arr|obj|object|time|date|json|utils?|strings|fn|std)\\.(?=(?:${[...functions.keys()].join('|')})\\()`,
    ),
    write: () => '',
    say: 'a function stands by itself',
    example: ['str.upper($.a)', 'upper($.a)'],
  },
  {
    words: ['f(a; b)'],
    find: /;(?=[^()]*\))/d,
    write: () => ',',
    say: 'arguments have commas between them',
    example: ["contains(y; 'a')", "contains(y, 'a')"],
  },
  // ---- operators
  {
    words: ['==='],
    find: /===/,
    write: () => '==',
    say: '=== is written ==',
    example: ['x === 1', 'x == 1'],
  },
  {
    words: ['!=='],
    find: /!==/,
    write: () => '!=',
    say: '!== is written !=',
    example: ['x !== 1', 'x != 1'],
  },
  { words: ['<>'], find: /<>/, write: () => '!=', say: '<> is written !=', example: ['x <> 1', 'x != 1'] },
  {
    words: ['=<'],
    find: /=<(?!=)/,
    write: () => '<=',
    say: '=< is written <=',
    example: ['x =< 1', 'x <= 1'],
  },
  {
    words: ['=>'],
    find: /=>(?=\s*-?[0-9])/,
    write: () => '>=',
    say: '=> is written >=',
    example: ['x => 1', 'x >= 1'],
  },
  {
    words: ['=~', '~=', '~', 'like', 'regex operator'],
    find: of(
      `(?<![\\w.$@\\]])(${VALUE})\\s*(?<sign>=~|~=|~|\\b(?:like|matches|rlike)\\b)\\s*(${VALUE}|/[^/]*/)`,
      'i',
    ),
    write: ([, value = '', , pattern = '']) =>
      `search(${value}, ${pattern.startsWith('/') ? `'${pattern.slice(1, -1)}'` : pattern})`,
    say: '=~ is a function here: search(text, pattern)',
    example: ["x =~ 'a.*'", "search(x, 'a.*')"],
  },
  {
    words: ['not in'],
    find: of(`(?<![\\w.$@\\]])(${VALUE})\\s+(?<sign>not\\s+in)\\s+(${VALUE}|${INDEX})`, 'i'),
    write: ([, item = '', , list = '']) => `!(${item} in ${list})`,
    say: 'a not in b is written !(a in b)',
    example: ["x not in ['a']", "!(x in ['a'])"],
  },
  {
    words: ['is null', 'is not null'],
    find: /\bis\s+(not\s+)?(?=null|true|false|nothing|None|empty)/i,
    write: ([, not = '']) => (not === '' ? '== ' : '!= '),
    say: 'is is written ==, and is not is written !=',
    example: ['x is not null', 'x != null'],
  },
  {
    words: ['is', 'eq', 'equals', 'ne', 'gt', 'ge', 'gte', 'lt', 'le', 'lte'],
    find: /\s(?:is )?(is not|not equals?|not|equals?|eq|neq|ne|gte|ge|gt|lte|le|lt|less than|greater than|more than|at least|at most|bigger than|above|below|over|under)(?: to)? (?=[\w$@.'"(\ue000-\uefff])|\s(is)\s/,
    write: ([, word = 'is']) => ` ${COMPARISONS[word] ?? '=='} `,
    say: 'comparisons are written == != < <= > >=',
    example: ['x gt 1', 'x > 1'],
  },
  {
    words: ['AND', 'and'],
    find: /\s(?:and|AND|And)\s/,
    write: () => ' && ',
    say: 'and is written &&',
    example: ['x > 1 and x < 9', 'x > 1 && x < 9'],
  },
  {
    words: ['OR', 'or'],
    find: /\s(?:or|OR|Or)\s/,
    write: () => ' || ',
    say: 'or is written ||',
    example: ['x < 1 OR x > 9', 'x < 1 || x > 9'],
  },
  {
    words: ['NOT', 'not'],
    find: of(`(?<![\\w.])(?:not|NOT|Not)\\s+(${VALUE})(\\s*(?:==|!=|<=|>=|<|>|\\sin\\s)\\s*${VALUE})?`),
    write: ([, value = '', comparison = '']) =>
      comparison === '' ? `!${value}` : `!(${value}${comparison})`,
    say: 'not is written !',
    example: ["not contains(x, 'a')", "!contains(x, 'a')"],
  },
  {
    words: ['&'],
    find: /(?<!&)&(?!&)/,
    write: () => '&&',
    say: '& is written &&',
    example: ['x > 1 & x < 9', 'x > 1 && x < 9'],
  },
  {
    words: ['|', 'pipe'],
    find: of(`(?<![\\w.$@\\]|])(${VALUE})\\s*\\|\\s*(${NAME})(?:\\((.*?)\\))?(?=$|\\s*[|=<>!)&])`),
    write: ([, value = '', name = '', args]) =>
      functions.has(name) || args !== undefined
        ? `${name}(${value}${(args ?? '') === '' ? '' : `, ${args!}`})`
        : `${value}.${name}`,
    say: 'there is no pipe; a function has the value as its first argument',
    example: ['x | length == 3', 'length(x) == 3'],
  },
  {
    words: ['='],
    find: /(?<![=!<>~])=(?![=~>])/,
    write: () => '==',
    say: 'a comparison has two equal signs',
    example: ['x = 1', 'x == 1'],
  },
  infix(
    'contains|includes|has',
    (a, b) => `contains(${a}, ${b})`,
    'contains is a function: contains(text, part)',
    ["x contains 'a'", "contains(x, 'a')"],
  ),
  infix(
    'startsWith|starts with|startswith|begins with|begins',
    (a, b) => `begins(${a}, ${b})`,
    'startsWith is a function: begins(text, beginning)',
    ["x startsWith 'a'", "begins(x, 'a')"],
  ),
  infix(
    'endsWith|ends with|endswith|ends',
    (a, b) => `ends(${a}, ${b})`,
    'endsWith is a function: ends(text, ending)',
    ["x endsWith 'a'", "ends(x, 'a')"],
  ),
  infix('mod', (a, b) => `${a} % ${b}`, 'mod is written %', ['7 mod 2 == x', '7 % 2 == x']),
  infix('div', (a, b) => `${a} / ${b}`, 'div is written /', ['7 div 2 == x', '7 / 2 == x']),
  infix('\\*\\*|\\^', (a, b) => (b === '2' ? `${a} * ${a}` : ''), 'there is no power operator; multiply', [
    'x ** 2',
    'x * x',
  ]),
  // ---- methods and functions
  {
    words: ['.length', '.size', '.count'],
    find: of(`(?<![\\w.])(${OBJECT})\\.(?:length|size|count|len)(?:\\(\\))?(?![\\w(.[])`),
    write: ([, object = '']) => `length(${object})`,
    say: '.length is a function here: length(x)',
    example: ['x.length > 1', 'length(x) > 1'],
  },
  method(
    'filter|where|select',
    (list, args) => `${list}[?${onItem(args)}]`,
    '.filter(…) is a filter here: list[?@.id == 1]',
    ['$.a.filter(x => x.b == 1)', '$.a[?@.b == 1]'],
  ),
  method(
    'find',
    (list, args) => `first(${list}[?${onItem(args)}])`,
    '.find(…) is the first of a filter here: first(list[?@.id == 1])',
    ['$.a.find(x => x.b == 1)', 'first($.a[?@.b == 1])'],
  ),
  method(
    'some|any',
    (list, args) => eachOf('any', list, args),
    '.some(…) is a function here: any(list, condition)',
    ['$.a.some(i => i.b == 1)', 'any(i in $.a, i.b == 1)'],
  ),
  method(
    'every|all',
    (list, args) => eachOf('every', list, args),
    '.every(…) is a function here: every(list, condition)',
    ['$.a.every(i => i.b == 1)', 'every(i in $.a, i.b == 1)'],
  ),
  method(
    'map|collect',
    (list, args) => eachOf('map', list, args),
    '.map(…) is a function here: map(list, expression)',
    ['$.a.map(i => i.b)', 'map(i in $.a, i.b)'],
  ),
  method('concat', (a, b) => `${a} + ${b}`, '.concat(…) joins texts, which + does here', [
    "x.concat('a')",
    "x + 'a'",
  ]),
  method(
    'toFixed',
    (a, n) => `format(${a}, '0.${'0'.repeat(Number(n) || 2)}')`,
    ".toFixed(2) is written format(x, '0.00')",
    ['n.toFixed(2)', "format(n, '0.00')"],
  ),
  method(
    'padStart|rjust|zfill',
    (a, args) => `pad(${a}, ${args})`,
    '.padStart(…) is a function here: pad(text, length, fill)',
    ["x.padStart(5, '0')", "pad(x, 5, '0')"],
  ),
  method('json', () => '$', '$ is the body of the response, read as JSON already', [
    'response.json().x',
    '$.x',
  ]),
  {
    words: ['response.json', 'response.data', 'res.body'],
    find: /(?<![\w.])(?:response\.(?:json|data)|(?:res|resp|result|answer)\.(?:json|data|body))(?=[.[\s]|$)/,
    write: () => '$',
    say: '$ is the body of the response, read as JSON already',
    example: ['response.json.x', '$.x'],
  },
  {
    words: ['res.status', 'resp.status'],
    find: /(?<![\w.])(?:res|resp|result|answer|http)\.(?:status|status_code|statusCode|code)(?![\w(])/,
    write: () => 'status',
    say: 'the status of the response is status',
    example: ['res.status == 200', 'status == 200'],
  },
  {
    words: ['response.status_code', 'response.code'],
    find: /(?<![\w.])response\.(?:status_code|statusCode|code)(?![\w(])/,
    write: () => 'status',
    say: 'the status of the response is status',
    example: ['response.code == 200', 'status == 200'],
  },
  {
    words: ['header', 'headers.get', "header('x')"],
    find: of(`(?<![\\w.])(?:response\\.)?(?:headers?\\.get|headers?|getHeader)\\((${QUOTED})\\)`),
    write: ([, name = '']) => `headers[${name}]`,
    say: "a header of the response is headers['Name']",
    example: ["header('x') == 'a'", "headers['x'] == 'a'"],
  },
  {
    words: ['headers.Content-Type'],
    find: /(?<![\w.])headers?\.([A-Za-z]+(?:-[A-Za-z]+)+)/,
    write: ([, name = '']) => `headers['${name}']`,
    say: "a name with a hyphen stands in brackets and quotes: headers['Content-Type']",
    example: ['headers.Content-Type == x', "headers['Content-Type'] == x"],
  },
  {
    words: ["cookie('x')"],
    find: of(`(?<![\\w.])cookies?\\((${QUOTED})\\)`),
    write: ([, name = '']) => `cookies[${name}]`,
    say: "a cookie that the response sets is cookies['name']",
    example: ["cookie('x') == 'a'", "cookies['x'] == 'a'"],
  },
  {
    words: ['jsonpath', 'jq', 'JsonPath'],
    find: of(`(?<![\\w.])(?:jsonpath|jsonPath|JSONPath|json_path|jq|json)\\((${QUOTED})\\)`),
    write: ([, path = '']) => `\ue001${path}`,
    say: 'a path stands by itself, without quotes',
    example: ["jsonpath('$.x') == 1", '$.x == 1'],
  },
  called(
    'filter',
    (args) => {
      const [list, condition, ...more] = argumentsOf(args);
      return list === undefined || condition === undefined || more.length > 0
        ? undefined
        : `${list}[?${onItem(condition)}]`;
    },
    'filter(…) is written list[?@.id == 1]',
    ['filter($.a, @.b == 1)', '$.a[?@.b == 1]'],
  ),
  called(
    'find|detect',
    (args) => {
      const [list, condition, ...more] = argumentsOf(args);
      return list === undefined || condition === undefined || more.length > 0
        ? undefined
        : `first(${list}[?${onItem(condition)}])`;
    },
    'find(…) is written first(list[?@.id == 1])',
    ['find($.a, @.b == 1)', 'first($.a[?@.b == 1])'],
  ),
  called(
    'concat|strcat|CONCAT',
    (args) => argumentsOf(args).join(' + '),
    'concat(…) is written a + b, and join(list, separator) for more',
    ["concat(x, 'a')", "x + 'a'"],
  ),
  called(
    'coalesce|nvl|ifnull|default|firstOf',
    (args) => argumentsOf(args).join(' ?? '),
    'coalesce(a, b) is written a ?? b',
    ["coalesce($.a, 'b')", "$.a ?? 'b'"],
  ),
  called('isEmpty|empty|is_empty', (args) => `length(${args}) == 0`, 'isEmpty(x) is written length(x) == 0', [
    'isEmpty($.a)',
    'length($.a) == 0',
  ]),
  called('notEmpty|isNotEmpty', (args) => `length(${args}) > 0`, 'notEmpty(x) is written length(x) > 0', [
    'notEmpty($.a)',
    'length($.a) > 0',
  ]),
  called(
    'sha256|SHA256',
    (args) => `hex(digest(${args}, 'sha-256'))`,
    "sha256(x) is written hex(digest(x, 'sha-256'))",
    ['sha256(x)', "hex(digest(x, 'sha-256'))"],
  ),
  called('md5|MD5', (args) => `hex(digest(${args}, 'md5'))`, "md5(x) is written hex(digest(x, 'md5'))", [
    'md5(x)',
    "hex(digest(x, 'md5'))",
  ]),
  called(
    'pow|Math\\.pow',
    (args) => {
      const [base, exponent] = argumentsOf(args);
      return exponent === '2' ? `${base} * ${base}` : undefined;
    },
    'there is no power; multiply: x * x',
    ['pow(x, 2)', 'x * x'],
  ),
  called(
    'Date\\.now|new Date|time\\.time|NOW',
    (args) => (args === '' ? 'now()' : undefined),
    'the time is now()',
    ['Date.now()', 'now()'],
  ),
  {
    words: ['Math.max', 'Math.min'],
    find: of(`(?<![\\w.])Math\\.(max|min)\\(((?:[^()]|${PARENTHESES})*)\\)`),
    write: ([, name = '', args = '']) =>
      of(`^(?:\\.\\.\\.)?(${NAME}|[$@][\\w.*[\\]]*\\[\\*\\][\\w.]*)$`).test(args)
        ? `${name}(${args.replace('...', '')})`
        : `${name}([${args}])`,
    say: 'max and min take a list: max([a, b])',
    example: ['Math.max(1, x)', 'max([1, x])'],
  },
  {
    words: ['max(a, b)', 'min(a, b)'],
    find: of(`(?<![\\w.])(max|min|sum|average)\\(((?:[^()]|${PARENTHESES})*)\\)`),
    write: ([, name = '', args = '']) => {
      const parts = argumentsOf(args);
      return parts.length < 2 || parts.some((part) => part.includes('@'))
        ? undefined
        : `${name}([${parts.join(', ')}])`;
    },
    say: 'max, min, sum and average take a list: max([a, b])',
    example: ['max(1, 2) == x', 'max([1, 2]) == x'],
  },
  // ---- paths
  {
    words: ['.0', 'items.0'],
    find: of(`(${OBJECT})\\.\\.?([0-9]+)(?![\\w])`),
    write: ([, path = '', index = '']) => (/^\d/.test(path) ? undefined : `${path}[${index}]`),
    say: 'an item stands in brackets: list[0]',
    example: ['$.a.0.b', '$.a[0].b'],
  },
  {
    words: ['[0'],
    find: /\[(-?\d+|\*)(?=\.)/d,
    write: ([, index = '']) => `[${index}]`,
    say: 'this [ is not closed',
    example: ['$.a[0.b', '$.a[0].b'],
  },
  {
    words: ['[]'],
    find: /(?<=[\w\])])\[\](?=\.|\[|\s|$)/,
    write: () => '[*]',
    say: 'all items are [*]',
    example: ['$.a[].b', '$.a[*].b'],
  },
  {
    words: ['$.x.'],
    find: /\.(?=\s|$|[)\]=<>!,&|])(?<!\.\.)/,
    write: () => '',
    say: 'a path does not end in a point',
    example: ['$.a. == 1', '$.a == 1'],
  },
  {
    words: ['@x'],
    find: of(`(?<![\\w.])@(?=${NAME})`),
    write: () => '@.',
    say: '@ is the item, and its member follows a dot: @.x',
    example: ['$.a[?@b == 1]', '$.a[?@.b == 1]'],
  },
  {
    words: ['[?(…)]', '[x == 1]', 'predicate'],
    find: /(?<=[\w\])])\[\s*(@?\.?[A-Za-z_]\w*(?:\.\w+)*\s*(?:==|!=|<=|>=|<|>)[^\]]*)\]/,
    write: ([, condition = '']) => `[?${condition.startsWith('@') ? '' : '@.'}${condition}]`,
    say: 'a condition on items begins with ?, and their members with @: [?@.x == 1]',
    example: ["$.a[b == 'c']", "$.a[?@.b == 'c']"],
  },
  {
    words: ['assert', 'expect', 'verify'],
    find: /^(?:assert|expect|verify|check|that|should)\s+(?=[\w$@!('"\ue010-\uefff])(?!(?:==|!=|<|>|in\b))/d,
    write: () => '',
    say: 'the condition stands by itself',
    example: ['assert n == 5', 'n == 5'],
  },
  {
    words: ['is empty', 'is not empty', 'empty', 'isEmpty'],
    find: of(`(?<![\\w.$@\\]])(${VALUE})\\s+(?<sign>(?:(?:is|are|not|be|!)\\s*){0,4}empty)\\b`, 'i'),
    write: ([, value = '', sign = '']) =>
      isWord(value) ? undefined : `length(${value}) ${/not|!/i.test(sign) ? '>' : '=='} 0`,
    say: 'whether something is empty is asked by its length',
    example: ['$.a is not empty', 'length($.a) > 0'],
  },
  {
    words: ['200..299', 'between'],
    find: of(
      `(?<sign>\\bin\\s*\\(?|\\bbetween\\s+)([1-5])00(?:\\s*(?:\\.\\.\\.?|-|\\band\\b|,)\\s*)\\2(?:99|50)\\)?`,
    ),
    write: ([, , digit = '']) => `== ${digit}xx`,
    say: 'a class of statuses is written 2xx',
    example: ['status in 200..299', 'status == 2xx'],
  },
  {
    words: ['200 OK'],
    find: /(?<=\b[1-5]\d\d)\s+(?:OK|Created|Accepted|No Content|Found|Not Found|Unauthorized|Forbidden|Conflict)\b/di,
    write: () => '',
    say: 'a status is its number',
    example: ['status == 200 OK', 'status == 200'],
  },
  {
    words: ['content-type contains'],
    find: /^(?:headers?\.)?content-?_?type\s+(?<sign>contains|includes|has|like)\s+(?:([a-z][\w/+.-]*)|([\ue010-\uefff]))$/di,
    write: ([, , word, quoted]) => `contains(type, ${word === undefined ? quoted! : `'${word}'`})`,
    say: 'the media type of the response is type; contains asks for a part of it',
    example: ['content-type contains json', "contains(type, 'json')"],
  },
  {
    words: ['content-type'],
    find: /^(?:headers?\.)?content-?_?type\s*(==|!=|=)\s*([\w/+.*-]+|[\ue010-\uefff])(?:;.*)?$/di,
    write: ([, sign = '', value = '']) =>
      `type ${sign === '!=' ? '!=' : '=='} ${/^[\ue010-\uefff]/.test(value) ? value : `'${value}'`}`,
    say: 'the media type of the response is type',
    example: ['content-type == application/json', "type == 'application/json'"],
  },
  {
    words: ['where', 'WHERE'],
    find: of(`(?<![\\w.])(${OBJECT})\\s+(?<sign>where|WHERE)\\s+@?\\.?(.+)$`),
    write: ([, list = '', , condition = '']) => {
      // `racks where rack.free`
      const item = /^([A-Za-z_]\w*)\./.exec(condition)?.[1];
      const isItem = item !== undefined && new RegExp(`(?:^|\\.)${item}(?:s|es)?$`).test(list);
      return `${list}[?@.${isItem ? condition.slice(item.length + 1) : condition}]`;
    },
    say: 'what is filtered stands before [?…], and its members begin with @',
    example: ['$.a where b > 1', '$.a[?@.b > 1]'],
  },
  {
    words: ['[name]'],
    find: /(?<=[\w\])$@])\[([A-Za-z_][\w-]*)\]/d,
    write: ([, name = '']) => `['${name}']`,
    say: 'the name of a member stands in quotes in brackets; at(list, place) takes a computed one',
    example: ['headers[Content-Type] == x', "headers['Content-Type'] == x"],
  },
  {
    words: ['(0)'],
    find: of(`(?<=[\\w$@]\\.${NAME}|\\$|\\])\\((\\d+)\\)`),
    write: ([, index = '']) => `[${index}]`,
    say: 'an item stands in brackets: list[0]',
    example: ['$.a(0).b', '$.a[0].b'],
  },
  {
    words: ['$name'],
    find: of(`(?<![\\w.\\])$])\\$(?=${NAME})`),
    write: () => '$.',
    say: 'a member of the response follows a dot: $.name',
    example: ['$a[0] == 1', '$.a[0] == 1'],
  },
  called(
    'pluck|pick_all|collect',
    (args) => {
      const [list, name] = argumentsOf(args);
      return list === undefined || name === undefined ? undefined : `${list}[*][${name}]`;
    },
    'the member of each item is list[*].name',
    ["pluck($.a, 'b')", "$.a[*]['b']"],
  ),
  {
    words: ['f x'],
    find: of(
      `(?<![\\w.$@])(${[...functions.keys(), 'len', 'size', 'strlen', 'str', 'int', 'not_empty'].join('|')})\\s+(?!in\\b)(${START}${SEGMENT}*)(?=\\s*(?:$|==|!=|<|>|&&|\\|\\||\\)))`,
    ),
    write: ([, name = '', value = '']) => `${name}(${value})`,
    say: 'what a function is given stands in parentheses',
    example: ['upper $.a', 'upper($.a)'],
  },
  // ---- words and numbers
  ...durations(),
  {
    words: ['now() + 1', 'time + number'],
    find: of(
      `((?:now\\(\\)|time\\((?:[^()]|${PARENTHESES})*\\))\\s*[-+]\\s*)([0-9]+(?:\\.[0-9]+)?)(?![\\w.])`,
    ),
    write: ([, time = '', count = '']) => `${time}${count}s`,
    say: 'a time and a duration are added, and a duration has a unit',
    example: ['now() + 5', 'now() + 5s'],
  },
  {
    words: ['+1'],
    find: /(?:^|(?<=[=<>(,]\s*))\+(?=\d)/,
    write: () => '',
    say: 'a number has no leading plus',
    example: ['x > +1', 'x > 1'],
  },
  {
    words: ['.5'],
    find: /(?:^|(?<=[\s=<>(,]))\.(?=\d)/,
    write: () => '0.',
    say: 'a number has a digit before its point',
    example: ['n > .5', 'n > 0.5'],
  },
  {
    words: ['1,000', '1_000'],
    find: /(?<![\w.,])([0-9]{1,3})(?:[,_]([0-9]{3}))+(?![\w,])/,
    write: ([all = '']) => all.replace(/[,_]/g, ''),
    say: 'a number has no separators',
    example: ['n > 1_000', 'n > 1000'],
  },
  {
    words: ['hyphen', 'x-y'],
    find: of(`\\.(${NAME}(?:-${NAME})+)(?!\\w)`),
    write: ([, name = '']) => `['${name}']`,
    say: "a name with a hyphen stands in brackets and quotes: ['content-type']",
    example: ['$.content-type == x', "$['content-type'] == x"],
  },
  {
    words: ['date literal'],
    find: /(?<![\w.'"-])(\d{4}-\d\d-\d\d(?:T[\d:.]+(?:Z|[+-]\d\d:\d\d)?)?)(?![\w-])/,
    write: ([, date = '']) => `time('${date}')`,
    say: "a date is written time('2026-03-01')",
    example: ['now() > 2026-03-01', "now() > time('2026-03-01')"],
  },
  {
    words: ['! ==', 'negated comparison'],
    find: of(`(?<![\\w.)])!\\s*(${VALUE}\\s*(?:==|!=|<=|>=|<|>|\\sin\\s)\\s*${VALUE})`),
    write: ([, comparison = '']) => `!(${comparison})`,
    say: '! applies to what directly follows it; a comparison stands in parentheses',
    example: ['!x == 1', '!(x == 1)'],
  },
  {
    words: ['a < b < c', 'between'],
    find: of(`(${VALUE})\\s*(<=?|>=?)\\s*(${VALUE})\\s*(?<sign><=?|>=?)\\s*(${VALUE})`),
    write: ([, a = '', one = '', b = '', two = '', c = '']) => `${a} ${one} ${b} && ${b} ${two} ${c}`,
    say: 'comparisons do not chain; && joins them',
    example: ['1 < n < 9', '1 < n && n < 9'],
  },
  {
    words: ['->', 'member of a pointer'],
    find: /(?<=[\w\])])->(?=[A-Za-z_])/d,
    write: () => '.',
    say: 'a member follows a dot',
    example: ['$.a[0]->b', '$.a[0].b'],
  },
  {
    words: ['0,8'],
    find: /(?<![\w.,[(])(\d+),(\d+(?:ms|s|m|h|d)?)(?![\w,.])/d,
    write: ([, whole = '', rest = '']) => `${whole}.${rest}`,
    say: 'a number has a point, not a comma',
    example: ['elapsed < 0,8s', 'elapsed < 0.8s'],
  },
  infix('after', (a, b) => `${a} > ${b}`, 'after is written >', [
    "time('2026-03-02') after now()",
    "time('2026-03-02') > now()",
  ]),
  infix('before', (a, b) => `${a} < ${b}`, 'before is written <', [
    "time('2026-03-02') before now()",
    "time('2026-03-02') < now()",
  ]),
  {
    words: ['elapsed.ms'],
    find: /\belapsed\.(ms|milliseconds|s|seconds|minutes)\b/d,
    write: ([, unit = '']) =>
      `elapsed / 1${unit.startsWith('mi') ? (unit.startsWith('mil') ? 'ms' : 'm') : unit === 'ms' ? 'ms' : 's'}`,
    say: 'a duration is compared with one, or divided by one for a number',
    example: ['elapsed.ms < 800', 'elapsed / 1ms < 800'],
  },
  {
    words: ['x > 1 && < 9'],
    find: of(
      `(${VALUE})\\s*(<=?|>=?|==|!=)\\s*(${VALUE})\\s*(&&|\\|\\||and|or)\\s*(?<sign><=?|>=?|==|!=)\\s*(${VALUE})`,
    ),
    write: ([, a = '', one = '', b = '', joint = '', two = '', c = '']) =>
      `${a} ${one} ${b} ${joint.replace('and', '&&').replace('or', '||')} ${a} ${two} ${c}`,
    say: 'each comparison has two sides',
    example: ['n > 1 && < 9', 'n > 1 && n < 9'],
  },
  {
    words: ['x-1', 'minus without blanks'],
    find: of(`(?<=[\\w)\\]])-(?=\\d|[A-Za-z_(])`),
    write: () => ' - ',
    say: 'a - between two values has blanks on both sides',
    example: ['n-1 == 4', 'n - 1 == 4'],
  },
  ...words(),
  ...renamed(),
  ...methods(),
  {
    words: ['.ok()'],
    find: of(`\\.(${NAME})\\(\\)`),
    write: ([, name = '']) => `.${name}`,
    say: 'a member has no parentheses',
    example: ['$.a.ok() == true', '$.a.ok == true'],
  },
];
