import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'an unknown key',
    '  - call: GET kiln /a\n    expct: status == 200\n',
    '4:5 unknown-key: a call has no key expct | the nearest is expect',
  ],
  [
    'a key of a later version',
    '  - call: GET kiln /a\n    draw: 3\n',
    '4:5 unknown-key: a call has no key draw',
  ],
  [
    'a misspelt verb',
    '  - cal: GET kiln /a\n',
    '3:5 unknown-key: a step has no key cal | the nearest is call',
  ],
  [
    'a key without its verb',
    '  - query: { a: b }\n',
    '3:5 missing-key: query belongs to a call, and this step has none',
  ],
  [
    'two verbs',
    '  - call: GET kiln /a\n    wait: 2s\n',
    '4:5 wrong-form: a step does one thing, and this one has call and wait',
  ],
  [
    'a wrong form',
    '  - call: GET kiln /a\n    keep: [a]\n',
    '4:11 wrong-form: keep must be a map of names and expressions, but this is a list',
  ],
  [
    'an empty value',
    '  - call: GET kiln /a\n    expect:\n',
    '4:5 wrong-form: expect must be a condition or a list of them, but this is empty',
  ],
  [
    'another word',
    '  - call: GET kiln /a\n    on-fail: ignore\n',
    '4:14 wrong-form: on-fail must be stop, continue or accept',
  ],
  [
    'a step that is never reached',
    '  - when: false\n    show: x\n',
    '3:11 warning unreachable: this never holds, so the step is never carried out',
  ],
  [
    'an unknown member of a step',
    '  - call: GET kiln /a\n    name: list\n  - when: list.okk\n    show: x\n',
    '5:16 unknown-member: list has no member okk | the nearest is list.ok',
  ],
  ['index outside a loop', '  - show: ${index}\n', 'index has no meaning in this step'],
])('a step: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
