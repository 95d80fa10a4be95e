import { ANY, BIT, type Kind, union, YES_NO } from '../kinds.ts';
import { kindOf } from '../values.ts';
import { define, takes } from './define.ts';

const family = 'asking';

export const askingFunctions = [
  define(family, 'exists', {
    about: 'Whether a path finds anything, null included.',
    parameters: [takes.nodes('path')],
    returns: YES_NO,
    examples: [
      ['exists($.pieces)', 'true'],
      ['exists($.colour)', 'false'],
    ],
    evaluate: ([nodes]) => nodes.length > 0,
  }),
  define(family, 'kind', {
    about:
      "The kind of a value: 'nothing', 'null', 'yes or no', 'number', 'text', 'list', 'object', 'time', 'duration' or 'bytes'.",
    parameters: [takes.maybe('value')],
    returns: { bits: BIT.text },
    examples: [
      ["kind('A3')", '"text"'],
      ['kind($.colour)', '"nothing"'],
    ],
    evaluate: ([value]) => kindOf(value),
  }),
  define(family, 'if', {
    about: 'The second value where the condition holds, otherwise the third. Only that one is evaluated.',
    parameters: [takes.condition('condition'), takes.later('then'), takes.later('otherwise')],
    returns: ([, then, otherwise]: readonly Kind[]) => union(then ?? ANY, otherwise ?? ANY),
    examples: [["if(length($.pieces) > 2, 'many', 'few')", '"many"']],
    evaluate: ([condition, then, otherwise]) =>
      condition === undefined ? undefined : condition ? then() : otherwise(),
  }),
];
