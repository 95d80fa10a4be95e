import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT } from '../../../../src/core/chain/read/read-project.ts';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'a name used before it is kept',
    '  - call: GET kiln /${later}\n  - call: GET kiln /b\n    keep: { later: $.x }\n',
    '3:23 unknown-name: later is defined further down, on line 5',
  ],
  [
    'the name of a step in itself',
    '  - name: look\n    steps:\n      - call: GET kiln /${look.status}\n',
    '5:27 unknown-name: look is the step this is part of; its name can be used only below it | in the step itself what it gives stands bare',
  ],
  [
    'a name kept twice',
    '  - call: GET kiln /a\n    keep: { x: $.x }\n  - call: GET kiln /b\n    keep: { x: $.y }\n',
    '6:13 name-twice: the name x is already defined on line 4',
  ],
  ['a value of the project kept', '  - keep: { studio: 1 }\n', '3:13 name-twice'],
  ['a reserved name', '  - keep: { status: 1 }\n', '3:13 name-invalid: status is a word of the language'],
  [
    'a name with a hyphen',
    '  - keep: { first-id: 1 }\n',
    "3:13 name-invalid: first-id can't be a name: a name is a letter, then letters, digits and _ | first_id",
  ],
  [
    'a name that may be nothing',
    "  - call: GET kiln /a\n    when: studio == 'x'\n    keep: { x: $.x }\n  - show: ${x}\n",
    '6:13 may-be-nothing: x may be nothing here: it is kept in a step that may be skipped (line 5) | x ?? other',
  ],
  [
    '$ before the response',
    '  - call: GET kiln /${$.id}\n',
    '3:23 no-response-here: there is no response yet',
  ],
  [
    '$ of an earlier step',
    '  - call: GET kiln /a\n    name: list\n  - show: ${$.id}\n',
    '5:13 no-response-here: $ is the response of its own step, and this step sends nothing | list.body',
  ],
  [
    'status of an earlier step',
    '  - call: GET kiln /a\n    name: list\n  - when: status == 200\n    show: x\n',
    '5:11 unknown-name: status speaks of a response, and this step sends nothing | list.status',
  ],
  [
    'a secret that is shown',
    '  - show: ${secret.desk}\n',
    '3:13 unknown-name: a secret stands only in texts',
  ],
  [
    'an unknown secret',
    '  - call: GET kiln /a\n    headers: { Key: "${secret.dsek}" }\n',
    '4:31 unknown-member: secret has no member dsek | the nearest is secret.desk',
  ],
])('a name: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});

test.each([
  ['callback', 'callback: {}\n    json: { to: "${callback}" }'],
  ['page', 'pages: { next-query: { page: "${page + 1}" } }'],
])('a name that a call gives itself can not be kept before: %s', (name, key) => {
  const text = `chain: A\nsteps:\n  - call: GET https://kiln.example/a\n    keep: { ${name}: $.a }\n  - call: POST https://kiln.example/b\n    ${key}\n`;
  const { findings } = readChain('a.chain.yaml', text, NO_PROJECT);
  expect(findings.filter(({ code }) => code === 'name-twice').map(({ place }) => place?.line)).toEqual([6]);
});
