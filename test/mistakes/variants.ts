// How a line is written by a hand that slips, or that is used to another notation: every rule is applied to every line that it
// fits, so that nobody chooses the cases.

export interface Variant {
  /** Which rule made it. */
  readonly rule: string;
  readonly line: string;
}

/** The values of a key written otherwise. */
const VALUES: Readonly<Record<string, (value: string) => string>> = {
  semicolon: (value) => `${value};`,
  comma: (value) => `${value},`,
  'comment of another language': (value) => `${value} // as in the docs`,
  'in [ ]': (value) => `[${value}]`,
  'in { }': (value) => `{${value}}`,
  'in ( )': (value) => `(${value})`,
  'in < >': (value) => `<${value}>`,
  'in backticks': (value) => `\`${value}\``,
  'in printed quotes': (value) => `“${value}”`,
  'an open quote': (value) => `"${value}`,
  'a quote at the end': (value) => `${value}'`,
  'an @ before it': (value) => `@${value}`,
};

/** The same for what stands in braces or brackets. */
const PAIRS: Readonly<Record<string, (value: string) => string>> = {
  'the end of a pair lost': (value) => value.slice(0, -1),
  'the beginning of a pair lost': (value) => value.slice(1).trim(),
  '; in a pair': (value) => value.replaceAll(', ', '; '),
  '( ) for a pair': (value) => `(${value.slice(1, -1).trim()})`,
  'an = in braces': (value) => value.replaceAll(': ', '='),
  'no blank in braces': (value) => value.replaceAll(': ', ':'),
};

const DURATIONS = ['N', 'N s', 'N seconds', 'Nsecs', 'NS', 'PTNS', '{ seconds: N }', '~Ns', '< Ns', 'Ns max'];
const COUNTS = ['Nx', '"N"', 'N times', 'max N', 'N.0', '<= N', '{ max: N }'];
const RANGES = ['A-B', 'A - B', 'A...B', 'A to B', 'A,B', '[A, B]', 'B..A', '{ min: A, max: B }'];

/** What stands for `${x}` elsewhere. */
const INSERTED = [
  '{x}',
  '{{x}}',
  '{{ x }}',
  '$x',
  '$(x)',
  '<x>',
  ':x',
  '#{x}',
  '@{x}',
  '${x',
  '$x}',
  '${{ x }}',
  '$[x]',
  '[[x]]',
  '%x%',
  '<%= x %>',
  '${x})',
  '${"x"}',
  '${inputs.x}',
  '${x;}',
  '${x!}',
  '" + x + "',
];

const OPERATORS: Readonly<Record<string, readonly string[]>> = {
  ' == ': [' = ', ' === ', ' eq ', ' is ', ' equals ', ' should be ', ' := '],
  ' > ': [' gt ', ' >> ', ' greater than ', ' over ', ' is more than ', ' &gt; '],
  ' < ': [' lt ', ' less than ', ' under ', ' below ', ' &lt; '],
  ' <= ': [' =< ', ' ≤ ', ' lte ', ' at most ', ' up to '],
  ' && ': [' and ', ' AND ', ' & '],
  ' in ': [' IN ', ' within ', ' is in ', ' one of ', ' is any of '],
};

/** A call of a function with `f` and `x`. */
const CALLS = [
  'x.f()',
  'x.f',
  'f x',
  'f(x',
  'f(x))',
  'x | f',
  'F(x)',
  'f (x)',
  'f(x,)',
  'f{x}',
  'f of x',
  'Math.f(x)',
];
/** A path of the response with `p` for what follows `$.`. */
const PATHS = [
  '$p',
  '.p',
  '$/p',
  '$->p',
  'response.p',
  '$response.p',
  "jq('.p')",
  '$. p',
  '$?.p',
  '#.p',
  '"$.p"',
  '$$.p',
  'this.p',
];
const ALL_ITEMS = ['[]', '.*', '[:]', '[all]', '.#', '[i]', '[0..]', '[**]', '(*)', '*', '[*'];
/** A condition `c` on a member of the items. */
const FILTERS = [
  '[?(@.c)]',
  '[?c]',
  '[c]',
  '[@.c]',
  '.filter(c)',
  '.filter(x => x.c)',
  '[?@c]',
  '[?it.c]',
  ' where c',
  '.where(c)',
];

/** All that a line may be written as. */
export function variantsOf(line: string): readonly Variant[] {
  const all: Variant[] = [];
  const add = (rule: string, other: string): void => {
    if (other !== line && other.trim() !== '') all.push({ rule, line: other });
  };
  keysOf(line, add);
  itemsOf(line, add);
  for (const [rule, by] of [
    ['one column further in', 1],
    ['two columns further in', 2],
  ] as const)
    add(rule, ' '.repeat(by) + line);
  add('a tab', line.replace(/^ {2}/, '\t'));
  if (line.startsWith('  ')) add('one column further out', line.slice(1));
  expressionsOf(line, add);
  return all;
}

type Add = (rule: string, line: string) => void;

function keysOf(line: string, add: Add): void {
  const [, lead = '', key = '', value = ''] = /^(\s*(?:- )?)([A-Za-z][\w-]*): ?(.*)$/.exec(line) ?? [];
  if (key === '') return;
  const named = (rule: string, name: string): void => add(rule, `${lead}${name}:${value && ` ${value}`}`);
  named('a key in capitals', key.toUpperCase());
  named('a capital', key[0]!.toUpperCase() + key.slice(1));
  named('a key with _', key.replaceAll('-', '_'));
  named(
    'a key in camel case',
    key.replace(/-(.)/g, (_, char: string) => char.toUpperCase()),
  );
  named('the plural', key.endsWith('s') ? key.slice(0, -1) : `${key}s`);
  named('a letter lost', key.slice(0, 2) + key.slice(3));
  named('a letter twice', key.slice(0, 2) + key[1]! + key.slice(2));
  named('two letters swapped', key[0]! + (key[2] ?? '') + (key[1] ?? '') + key.slice(3));
  if (value === '') return;
  const valued = (rule: string, other: string): void => add(rule, `${lead}${key}: ${other}`);
  add('no blank after the colon', `${lead}${key}:${value}`);
  add('no colon', `${lead}${key} ${value}`);
  add('= for the colon', `${lead}${key} = ${value}`);
  add('the key twice', `${lead}${key}: ${key}: ${value}`);
  const isPair = /^[{[]/.test(value);
  for (const [rule, change] of Object.entries(VALUES))
    if (!isPair || /semicolon|comma|comment/.test(rule)) valued(rule, change(value));
  if (isPair) for (const [rule, change] of Object.entries(PAIRS)) valued(rule, change(value));
  const duration = /^(\d+)(?:ms|s|m|h)$/.exec(value)?.[1];
  if (duration !== undefined)
    for (const one of DURATIONS) valued(`a duration: ${one}`, one.replace('N', duration));
  if (/^\d+$/.test(value)) for (const one of COUNTS) valued(`a count: ${one}`, one.replace('N', value));
  const [, low, high] = /^(\w+)\.\.(\w+)$/.exec(value) ?? [];
  if (low !== undefined)
    for (const one of RANGES) valued(`a range: ${one}`, one.replace('A', low).replace('B', high!));
}

function itemsOf(line: string, add: Add): void {
  const [, lead, item] = /^(\s*)- (.*)$/.exec(line) ?? [];
  if (lead === undefined) return;
  for (const mark of ['* ', '+ ', '-', '-- ', '– ', '• ', '1. ', '- - ', '-: ', '- assert ', '- that '])
    add(`an item after ${mark}`, lead + mark + item!);
  add('an item without a dash', `${lead}  ${item!}`);
}

function expressionsOf(line: string, add: Add): void {
  const [inserted, name] = /\$\{([^}"]*)\}/.exec(line) ?? [];
  if (name !== undefined)
    for (const one of INSERTED)
      add(
        `inserted: ${one}`,
        line.replace(inserted!, () => one.replace('x', () => name)),
      );
  for (const [sign, others] of Object.entries(OPERATORS))
    if (line.includes(sign))
      for (const other of others) add(`${other.trim()} for ${sign.trim()}`, line.replace(sign, other));
  const call = /\b(length|sum|max|upper|number|date)\(([\w$.]+(?:\(\))?)\)/.exec(line);
  if (call)
    for (const one of CALLS)
      add(
        `a call: ${one}`,
        line.replace(call[0], () =>
          one.replace(
            /\b[fFx]\b/g,
            (char) => ({ f: call[1]!, F: call[1]!.toUpperCase(), x: call[2]! })[char]!,
          ),
        ),
      );
  const path = /\$\.([A-Za-z]\w*(?:\.\w+|\[[^\]]*\])*)/.exec(line);
  if (!path) return;
  for (const one of PATHS)
    add(
      `a path: ${one}`,
      line.replace(path[0], () => one.replace('p', () => path[1]!)),
    );
  for (const one of ALL_ITEMS)
    add(
      `all items: ${one}`,
      line.replace('[*]', () => one),
    );
  const filter = /\[\?@\.([^\]]*)\]/.exec(line);
  if (filter)
    for (const one of FILTERS)
      add(
        `a filter: ${one}`,
        line.replace(filter[0], () => one.replace('c', () => filter[1]!)),
      );
}
