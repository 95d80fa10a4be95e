import { fail } from '../../problems.ts';
import { equalValues } from '../compare.ts';
import { BIT, LIST, listOf, TEXT, union, YES_NO } from '../kinds.ts';
import { boundList, boundText, visit } from '../limits.ts';
import { numberText, wholeNumber, type Numeric } from '../numbers.ts';
import type { Environment } from '../environment.ts';
import type { PatternMatch } from '../pattern/captures.ts';
import { type Pattern, patternOf } from '../pattern/pattern.ts';
import { isNumeric, kindOf, type Value } from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';

const family = 'text';

function bounded(text: string): string {
  boundText(text.length);
  return text;
}

/** A whole number that says a place; throws `wrong-kind`. */
export function place(number: Numeric, what: string): number {
  return (
    wholeNumber(number) ?? fail('wrong-kind', `${what} is a whole number, but this is ${numberText(number)}`)
  );
}

/** Only texts and numbers can be joined without a choice of how to write them. */
function joinable(value: Value): string {
  if (typeof value === 'string') return value;
  if (isNumeric(value)) return numberText(value);
  return fail('wrong-kind', `join takes texts and numbers, and one of the items is ${kindOf(value)}`, {
    hint: "join(map(list, json(@)), ',') writes each item as JSON first",
  });
}

/** One character is a code point, so a slice never cuts one in two. */
function points(text: string): string[] {
  return Array.from(text);
}

const listOfTexts = listOf(TEXT);

/** The last argument by which the case of letters does not count. */
export const anyCase = optionalParameter(takes.text('mode', { literal: { oneOf: ['i'] } }));

/** The last argument by which a text is a pattern. */
const asPattern = optionalParameter(takes.text('mode', { literal: { oneOf: ['pattern'] } }));

/** What `'i'` says; throws `wrong-kind` of any other mode. */
export function caseOf(mode: string | undefined): 'i' | undefined {
  if (mode === undefined || mode === 'i') return mode;
  return fail('wrong-kind', `a pattern has no mode '${mode}'`, {
    hint: "'i': the case of letters does not count",
  });
}

function isPattern(mode: string | undefined, name: string): boolean {
  if (mode !== undefined && mode !== 'pattern')
    fail('wrong-kind', `${name} has no mode '${mode}'`, { hint: "'pattern', or none" });
  return mode === 'pattern';
}

/** Going on behind a match costs so much more than visiting a node. */
const COST = 20;

function allMatches(environment: Environment, text: string, pattern: Pattern): Iterable<PatternMatch> {
  return pattern.all(text, (characters) => visit(environment, characters * COST));
}

function splitByPattern(environment: Environment, text: string, separator: string): string[] {
  const parts: string[] = [];
  let from = 0;
  for (const { start, end } of allMatches(environment, text, patternOf(separator))) {
    // An empty match at either end of the text separates nothing.
    if (end === start && (start === 0 || start === text.length)) continue;
    parts.push(text.slice(from, start));
    boundList(parts.length);
    from = end;
  }
  return [...parts, text.slice(from)];
}

function replaceByPattern(
  environment: Environment,
  text: string,
  { pattern, to }: { readonly pattern: string; readonly to: string },
): string {
  const parts: string[] = [];
  let length = 0;
  let from = 0;
  const push = (part: string): void => {
    parts.push(part);
    boundText((length += part.length));
  };
  for (const { start, end, groups } of allMatches(environment, text, patternOf(pattern))) {
    push(text.slice(from, start));
    push(
      to.replace(/\$([0-9$])/g, (whole, sign: string) => (sign === '$' ? '$' : caught(groups, sign, whole))),
    );
    from = end;
  }
  push(text.slice(from));
  return parts.join('');
}

function caught(groups: readonly (string | undefined)[], sign: string, whole: string): string {
  const group = Number(sign);
  if (group >= groups.length)
    fail('wrong-kind', `the pattern has no group ${sign}, which ${whole} stands for`, {
      hint: '$$ for a dollar sign',
    });
  return groups[group] ?? '';
}

export const textFunctions = [
  define(family, 'upper', {
    about: 'The text in upper case.',
    parameters: [takes.text('text')],
    returns: TEXT,
    examples: [["upper('ash')", '"ASH"']],
    evaluate: ([text]) => bounded(text.toUpperCase()),
  }),
  define(family, 'lower', {
    about: 'The text in lower case.',
    parameters: [takes.text('text')],
    returns: TEXT,
    examples: [["lower('ASH')", '"ash"']],
    evaluate: ([text]) => bounded(text.toLowerCase()),
  }),
  define(family, 'trim', {
    about: 'The text without blanks and line breaks at its ends.',
    parameters: [takes.text('text')],
    returns: TEXT,
    examples: [["trim('  ash ')", '"ash"']],
    evaluate: ([text]) => text.trim(),
  }),
  define(family, 'split', {
    about:
      "The parts of a text between separators. With 'pattern' the separator is a pattern (RFC 9485); what matches is left out.",
    parameters: [takes.text('text'), takes.text('separator'), asPattern],
    returns: listOfTexts,
    examples: [
      ["split('a,b,c', ',')", '["a","b","c"]'],
      ["split('ash , oak;elm', ' *[,;] *', 'pattern')", '["ash","oak","elm"]'],
    ],
    evaluate: ([text, separator, mode], environment) => {
      if (isPattern(mode, 'split')) return splitByPattern(environment, text, separator);
      const parts = separator === '' ? points(text) : text.split(separator);
      boundList(parts.length);
      return parts;
    },
  }),
  define(family, 'join', {
    about: 'The texts and numbers of a list as one text, with a separator between them.',
    parameters: [takes.list('list'), takes.text('separator')],
    returns: TEXT,
    examples: [["join(['a', 'b', 3], '-')", '"a-b-3"']],
    evaluate: ([list, separator]) => {
      const parts = list.map(joinable);
      boundText(parts.reduce((sum, part) => sum + part.length + separator.length, 0));
      return parts.join(separator);
    },
  }),
  define(family, 'replace', {
    about:
      "The text with each occurrence of one text replaced by another. With 'pattern' each match of a pattern (RFC 9485) is replaced; $1 to $9 in the new text stand for what its groups caught, $0 for the whole match, $$ for a dollar sign.",
    parameters: [takes.text('text'), takes.text('from'), takes.text('to'), asPattern],
    returns: TEXT,
    examples: [
      ["replace('2024-12-10', '-', '/')", '"2024/12/10"'],
      ["replace('rack A3, rack B12', '([A-Z])([0-9]+)', '$2$1', 'pattern')", '"rack 3A, rack 12B"'],
    ],
    evaluate: ([text, from, to, mode], environment) => {
      if (isPattern(mode, 'replace')) return replaceByPattern(environment, text, { pattern: from, to });
      if (from === '') fail('wrong-kind', 'replace wants something to look for, and this text is empty');
      const parts = text.split(from);
      boundText(text.length + (parts.length - 1) * (to.length - from.length));
      return parts.join(to);
    },
  }),
  define(family, 'contains', {
    about: 'Whether a text has another in it, or a list an item equal to a value.',
    parameters: [takes.textOrList('where'), takes.any('what')],
    returns: YES_NO,
    examples: [
      ["contains('celadon', 'lad')", 'true'],
      ['contains([1, 2.0], 2)', 'true'],
    ],
    evaluate: ([where, what]) => {
      if (Array.isArray(where)) return where.some((item) => equalValues(item, what));
      return typeof what === 'string'
        ? where.includes(what)
        : fail('wrong-kind', `a text contains texts, but this is ${kindOf(what)}`, {
            hint: 'text(x) makes a text of it',
          });
    },
  }),
  define(family, 'begins', {
    about: 'Whether a text begins with another.',
    parameters: [takes.text('text'), takes.text('beginning')],
    returns: YES_NO,
    examples: [["begins('celadon', 'cel')", 'true']],
    evaluate: ([text, beginning]) => text.startsWith(beginning),
  }),
  define(family, 'ends', {
    about: 'Whether a text ends with another.',
    parameters: [takes.text('text'), takes.text('ending')],
    returns: YES_NO,
    examples: [["ends('celadon', 'don')", 'true']],
    evaluate: ([text, ending]) => text.endsWith(ending),
  }),
  define(family, 'pad', {
    about:
      'The text, or the number as text, filled up at its beginning to so many characters, at its end where the figure is negative; with blanks if no fill is given.',
    parameters: [takes.textOrNumber('text'), takes.number('length'), optionalParameter(takes.text('fill'))],
    returns: TEXT,
    examples: [
      ["pad(7, 3, '0')", '"007"'],
      ["pad('ash', -5, '.')", '"ash.."'],
    ],
    evaluate: ([value, length, fill = ' ']) => {
      const text = points(typeof value === 'string' ? value : numberText(value));
      const wanted = place(length, 'a length');
      const filler = points(fill);
      if (filler.length === 0) fail('wrong-kind', 'pad takes at least one character to fill with');
      boundText(Math.abs(wanted) * 2);
      const missing = Math.max(0, Math.abs(wanted) - text.length);
      const filled = Array.from({ length: missing }, (_, i) => filler[i % filler.length]!);
      return (wanted < 0 ? [...text, ...filled] : [...filled, ...text]).join('');
    },
  }),
  define(family, 'matches', {
    about:
      "All that a pattern matches in a text, as a list of texts: what its first group caught, or the whole match where it has no group. With 'i' the case of letters does not count.",
    parameters: [takes.text('text'), takes.text('pattern', { literal: 'pattern' }), anyCase],
    returns: listOfTexts,
    examples: [
      ["matches('rack A3, rack B12', '[A-Z][0-9]+')", '["A3","B12"]'],
      ["matches('a=1;b=2', '=([0-9])')", '["1","2"]'],
    ],
    evaluate: ([text, pattern, mode], environment) => {
      const found: string[] = [];
      for (const { groups } of allMatches(environment, text, patternOf(pattern, caseOf(mode)))) {
        found.push((groups.length > 1 ? groups[1] : groups[0]) ?? '');
        boundList(found.length);
      }
      return found;
    },
  }),
  define(family, 'extract', {
    about:
      "What the first group of a pattern catches in a text, or the whole match where it has no group; else nothing. With 'i' the case of letters does not count.",
    parameters: [takes.text('text'), takes.text('pattern', { literal: 'pattern' }), anyCase],
    returns: TEXT,
    examples: [
      ["extract('rack A3, shelf 2', 'shelf ([0-9]+)')", '"2"'],
      ["extract('rack A3', '[A-Z][0-9]')", '"A3"'],
    ],
    evaluate: ([text, pattern, mode]) => {
      const groups = patternOf(pattern, caseOf(mode)).groups(text);
      return groups && (groups.length > 1 ? groups[1] : groups[0]);
    },
  }),
  define(family, 'groups', {
    about:
      "What all groups of a pattern catch in a text, as a list; a group that took no part is null. With 'i' the case of letters does not count.",
    parameters: [takes.text('text'), takes.text('pattern', { literal: 'pattern' }), anyCase],
    returns: listOf({ bits: BIT.text | BIT.null }),
    examples: [["groups('A3', '([A-Z])([0-9])')", '["A","3"]']],
    evaluate: ([text, pattern, mode]) =>
      patternOf(pattern, caseOf(mode))
        .groups(text)
        ?.slice(1)
        .map((group) => group ?? null),
  }),
];

const both = 'text or list';

export const textOrListFunctions = [
  define(both, 'slice', {
    about:
      'The part of a text or list from one place up to, not including, another. Places count from 0, negative ones from the end.',
    parameters: [takes.textOrList('value'), takes.number('from'), optionalParameter(takes.number('to'))],
    returns: ([value]) =>
      value ? { ...value, bits: value.bits & (BIT.text | BIT.list) } : union(TEXT, LIST),
    examples: [
      ["slice('celadon', 0, 3)", '"cel"'],
      ['slice([1, 2, 3], -2)', '[2,3]'],
    ],
    evaluate: ([value, from, to]) => {
      const start = place(from, 'the beginning of a slice');
      const end = to === undefined ? undefined : place(to, 'the end of a slice');
      return Array.isArray(value) ? value.slice(start, end) : points(value).slice(start, end).join('');
    },
  }),
  define(both, 'reverse', {
    about: 'The text or list the other way round.',
    parameters: [takes.textOrList('value')],
    returns: ([value]) =>
      value ? { ...value, bits: value.bits & (BIT.text | BIT.list) } : union(TEXT, LIST),
    examples: [['reverse([1, 2, 3])', '[3,2,1]']],
    evaluate: ([value]) => (Array.isArray(value) ? value.toReversed() : points(value).reverse().join('')),
  }),
];
