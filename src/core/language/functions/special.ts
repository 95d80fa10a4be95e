import { ANY } from '../kinds.ts';
import { define, takes } from './define.ts';

const family = 'only there';

export const specialFunctions = [
  define(family, 'raw', {
    about:
      'In a URL, as the whole of an insertion: reserved characters such as / and ? stay as they are (RFC 6570, 3.2.3).',
    parameters: [takes.any('value')],
    returns: ([value]) => value ?? ANY,
    examples: [],
    evaluate: ([value]) => value,
  }),
  define(family, 'hidden', {
    about: 'In keep, as the whole expression: the value is a secret from here on and shown nowhere.',
    parameters: [takes.any('value')],
    returns: ([value]) => value ?? ANY,
    examples: [],
    evaluate: ([value]) => value,
  }),
];
