import { fail } from '../../problems.ts';
import { shorten } from '../show.ts';
import { NUMBER, YES_NO } from '../kinds.ts';
import {
  absolute,
  compareNumbers,
  floor,
  isNumberText,
  negate,
  numberOf,
  round,
  subtract,
} from '../numbers.ts';
import { define, optionalParameter, takes } from './define.ts';
import { place } from './text.ts';

const family = 'number';

export const numberFunctions = [
  define(family, 'number', {
    about:
      'The number that a text denotes, in the notation of JSON, blanks around it left out. A number stays as it is.',
    parameters: [takes.textOrNumber('text')],
    returns: NUMBER,
    examples: [
      ["number('12.50')", '12.50'],
      ["number('12345678901234567890')", '12345678901234567890'],
    ],
    evaluate: ([text]) => {
      if (typeof text !== 'string') return text;
      const trimmed = text.trim();
      return isNumberText(trimmed)
        ? numberOf(trimmed)
        : fail('not-a-number', `'${shorten(text, 60)}' is not a number`, {
            hint: "digits with a point: '1234.5'; replace(x, ',', '') takes out separators",
          });
    },
  }),
  define(family, 'round', {
    about:
      'The number rounded to so many digits after the point (0 if not given); a half goes to the even neighbour.',
    parameters: [takes.number('number'), optionalParameter(takes.number('digits'))],
    returns: NUMBER,
    examples: [
      ['round(2.345, 2)', '2.34'],
      ['round(2.5)', '2'],
    ],
    evaluate: ([number, digits]) =>
      round(number, digits === undefined ? 0 : place(digits, 'the count of digits')),
  }),
  define(family, 'floor', {
    about: 'The largest whole number that is not above the number.',
    parameters: [takes.number('number')],
    returns: NUMBER,
    examples: [['floor(-2.5)', '-3']],
    evaluate: ([number]) => floor(number),
  }),
  define(family, 'ceil', {
    about: 'The smallest whole number that is not below the number.',
    parameters: [takes.number('number')],
    returns: NUMBER,
    examples: [['ceil(2.1)', '3']],
    evaluate: ([number]) => negate(floor(negate(number))),
  }),
  define(family, 'abs', {
    about: 'The number without its sign.',
    parameters: [takes.number('number')],
    returns: NUMBER,
    examples: [['abs(-2.5)', '2.5']],
    evaluate: ([number]) => absolute(number),
  }),
  define(family, 'near', {
    about: 'Whether two numbers differ by at most a third.',
    parameters: [takes.number('a'), takes.number('b'), takes.number('within')],
    returns: YES_NO,
    examples: [['near(1.04, 1, 0.05)', 'true']],
    evaluate: ([a, b, within]) => compareNumbers(absolute(subtract(a, b)), within) <= 0,
  }),
];
