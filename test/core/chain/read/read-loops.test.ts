import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'a name of an iteration, used after the loop',
    '  - each: p in [1]\n    steps:\n      - keep: { x: p }\n  - show: ${x}\n',
    '6:13 unknown-name: x is kept in the iterations of the loop on line 3, and ends with each of them | gather: { x: x } on the loop',
  ],
  [
    'a loop over a text',
    "  - each: p in 'abc'\n    steps: [{ wait: 1s }]\n",
    '3:16 not-a-list: each goes over a list',
  ],
  [
    'an object with one name',
    '  - each: "p in { a: 1 }"\n    steps: [{ wait: 1s }]\n',
    'each: key, value in OBJECT',
  ],
  [
    'a loop that is none',
    '  - each: pieces\n    steps: [{ wait: 1s }]\n',
    '3:11 wrong-form: each is NAME in LIST',
  ],
  [
    'no iteration at all',
    '  - each: p in [1]\n    at-once: 0\n    steps: [{ wait: 1s }]\n',
    '4:14 wrong-form: with at-once: 0',
  ],
  [
    'a name that is there already',
    '  - keep: { p: 1 }\n  - each: p in [1]\n    steps: [{ wait: 1s }]\n',
    '4:11 name-twice: the name p is already defined on line 3',
  ],
  [
    'a misspelt setting of a loop',
    '  - each: p in [1]\n    at-onec: 3\n    steps: [{ wait: 1s }]\n',
    '4:5 unknown-key: an each has no key at-onec | the nearest is at-once',
  ],
  [
    'a repeat without an end',
    '  - repeat: { up-to: 3 }\n    steps: [{ wait: 1s }]\n',
    'missing-key: repeat has no until',
  ],
  [
    'rows as a list',
    '  - each: row in rows\n    steps:\n      - show: ${length(rows)}\n',
    'nothing defines the name rows',
  ],
])('a loop: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
