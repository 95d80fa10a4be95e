import { fail } from '../../problems.ts';
import { equalInAnyOrder } from '../any-order.ts';
import { equalValues } from '../compare.ts';
import { ANY, BIT, type Kind, maybe, union, YES_NO } from '../kinds.ts';
import { kindOf } from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';

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
  define(family, 'same', {
    about:
      "Whether two values are equal, as with ==; with 'any order' lists that hold the same items in another order are the same, lists inside them too. A failed expectation says which items only one side has.",
    parameters: [
      takes.any('a'),
      takes.any('b'),
      optionalParameter(takes.text('mode', { literal: { oneOf: ['any order'] } })),
    ],
    returns: YES_NO,
    examples: [
      ["same([1, 2], [2, 1], 'any order')", 'true'],
      ['same([1, 2], [2, 1])', 'false'],
    ],
    evaluate: ([a, b, mode]) => {
      if (mode !== undefined && mode !== 'any order')
        fail('wrong-kind', `same has no mode '${mode}'`, { hint: "'any order', or none" });
      return mode === undefined ? equalValues(a, b) : equalInAnyOrder(a, b);
    },
  }),
  define(family, 'fits', {
    about:
      "Whether a value is as a schema wants it: a name under `shapes`, a schema of a service description ('Piece', or 'kiln#Piece' where several have it), or the path of a file of JSON Schema. A failed expectation lists each place that is otherwise.",
    parameters: [takes.any('value'), takes.text('schema')],
    returns: YES_NO,
    examples: [],
    evaluate: ([value, schema], { world }) =>
      world.fits
        ? world.fits(value, schema).length === 0
        : fail('unknown-schema', `the schema ${schema} can't be read here`),
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
    about:
      'The second value where the condition holds, otherwise the third, or nothing where there is none. Only that one is evaluated.',
    parameters: [
      takes.condition('condition'),
      takes.later('then'),
      optionalParameter(takes.later('otherwise')),
    ],
    returns: ([, then, otherwise]: readonly Kind[]) =>
      otherwise ? union(then ?? ANY, otherwise) : maybe(then ?? ANY),
    examples: [
      ["if(length($.pieces) > 2, 'many', 'few')", '"many"'],
      ["if(length($.pieces) > 9, 'many') ?? 'few'", '"few"'],
    ],
    evaluate: ([condition, then, otherwise]) =>
      condition === undefined ? undefined : condition ? then() : otherwise?.(),
  }),
];
