import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'a chain that is not there',
    '  - follow: none.chain.yaml\n',
    '3:13 file-not-found: there is no chain none.chain.yaml',
  ],
])('a chain that is followed: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
