import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'a token in plain sight',
    '  - call: GET kiln /a\n    headers: { Authorization: Bearer abcdefgh12345678 }\n',
    '4:31 secret-in-plain-text: a credential stands readable under authorization',
  ],
  [
    'a key in plain sight',
    '  - call: GET kiln /a\n    headers: { X-Api-Key: abc123def456 }\n',
    '4:27 secret-in-plain-text: x-api-key is in the file in plain text',
  ],
  [
    'what looks like a key',
    '  - call: GET kiln /a\n    headers: { Kiln-Mark: q8Zr2LwX0pTn5VbK7sYd3 }\n',
    '4:27 warning secret-in-plain-text: what stands under kiln-mark looks like a key',
  ],
])('a key in a file: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
