import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'an expression in a text',
    '  - call: POST kiln /a\n    json: { id: $.id }\n',
    '4:17 expression-in-text: this field is text, so $.id would be sent as these characters | ${$.id}',
  ],
  [
    'a path in a text',
    '  - call: GET kiln /a\n    name: list\n  - call: GET kiln /b\n    query: { s: list.status }\n',
    '6:17 warning expression-in-text: this field is text, so list.status would be sent as these characters | ${list.status}',
  ],
  [
    'a call of a function in a text',
    '  - call: POST kiln /a\n    json: { id: uuid() }\n',
    '4:17 warning expression-in-text: this field is text, so uuid() would be sent as these characters | ${uuid()}',
  ],
  [
    'an operation in a text',
    '  - keep: { n: "1" }\n  - call: GET kiln /a\n    query: { page: n + 1 }\n',
    '5:20 warning expression-in-text: this field is text, so n + 1 would be sent as these characters | ${n + 1}',
  ],
  [
    'a text that a comment cuts',
    '  - show: "Order #1"\n  - show: Order #1: ${studio}, done\n',
    '4:11 warning comment-in-text: in YAML " #" starts a comment, so this text ends after Order | "Order #1: ${studio}, done"',
  ],
  [
    'JSON in a text where JSON is made of it',
    '  - call: POST kiln /a\n    json: |\n      { "a": "${studio}", "b": ${1} }\n',
    '4:11 warning json-in-text: this is one text',
  ],
  [
    'a value inserted as elsewhere',
    '  - show: "[[studio]]"\n',
    '3:12 warning expression-in-text: [[studio]] would be sent as these characters | ${studio}',
  ],
  [
    'a member of a value inserted as elsewhere',
    '  - call: GET kiln /a\n    name: list\n  - show: "#{list.status}"\n',
    '5:12 warning expression-in-text: #{list.status} would be sent as these characters | ${list.status}',
  ],
  [
    'the name of a value in quotes',
    `  - show: \${'studio'} of\n`,
    "3:13 warning path-in-quotes: 'studio' in quotes is this text, not the value of that name | studio",
  ],
  [
    'half of an expression inserted',
    '  - call: POST kiln /a\n    json: { n: "number(${studio})" }\n',
    '4:16 warning expression-in-text: what stands outside of ${ } in number(${studio}) would be sent as these characters',
  ],
  [
    'a list without its brackets',
    '  - call: GET kiln /a\n    query:\n      state: (new, paid)\n',
    '5:14 warning sign-in-text: (new, paid) is one text; a list goes in [ ] | quotes around the whole text',
  ],
])('a text: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});

test('signs around what nobody has defined are a part of the text', () => {
  expect(
    foundIn(
      "  - show: '[[nobody]] [[true]] %PATH% <%= who %> $(date +%s) #{a} @{b} @home :smile: (a, b'\n  - show: 50% of it%, {n}\n",
    ),
  ).toBe('');
});
