// Values that turn out, while a chain runs, not to be what its place takes: what is said, and where.
import { describe, expect, test } from '@jest/globals';
import type { Rows } from '../../../../src/core/ports.ts';
import { KILN, runChain } from '../support.ts';

const RESPONSE = `{
  "id": "p1", "text": "5", "n": 5, "half": 1.5, "minus": -1, "empty": "", "none": null,
  "list": ["a", "b"], "object": {"a": 1}, "lines": "a\\r\\nb", "huge": 1e400
}`;
const MEMBERS = 'id, text, n, half, minus, empty, none, list, object, lines, huge';

const rows: Rows = {
  open: () => Promise.reject(new Error('no rows to read')),
  write: () => Promise.reject(new Error('no row was to be written')),
};

/** Runs a step after one that has kept a response as `a`; returns what failed: its place, its code, its message and its advice. */
async function problemOf(step: string): Promise<string> {
  const { exit, of } = await runChain(
    `chain: Bad values\nsteps:\n  - call: GET kiln /a\n    keep: { a: $ }\n  - ${step}\n    name: it\n`,
    () => ({ json: RESPONSE }),
    { project: KILN, ports: { rows } },
  );
  const { outcome, problem } = of('step-ended').find(({ step: address }) => address === 'it')!;
  if (!problem) return outcome;
  const { line, column } = problem.place!;
  const { code, hint = '-', message } = problem;
  // A value that is not what it should be is a failure of the run, not of its input.
  expect([step, outcome, exit === 1 || exit === 3]).toEqual([step, 'failed', true]);
  return `${line}:${column} ${code}: ${message} | ${hint}`;
}

const NO_A = `a.colour found nothing: a has the members ${MEMBERS} | -`;

describe.each<[string, readonly (readonly [step: string, problem: string])[]]>([
  [
    'settings',
    [
      [
        'wait: ${a.text}',
        "5:13 not-a-duration: a duration is needed here, but this is text, '5' | x * 1s makes a duration of a number of seconds",
      ],
      [
        'call: GET kiln /x\n    timeout: ${a.n}',
        '6:16 not-a-duration: a duration is needed here, but this is a number, 5 | x * 1s makes a duration of a number of seconds',
      ],
      ['call: GET kiln /x\n    timeout: ${a.colour}', `6:16 found-nothing: ${NO_A}`],
      [
        'call: GET kiln /x\n    poll: { until: $.id == 1, every: "${a.none}" }',
        '6:41 not-a-duration: a duration is needed here, but this is null | x * 1s makes a duration of a number of seconds',
      ],
      [
        'each: x in a.list\n    at-once: ${a.half}\n    steps: [{ show: x }]',
        '6:16 not-a-count: a whole number, 0 or more, is needed here, but this is a number, 1.5 | round(x) or floor(x)',
      ],
      [
        'each: x in a.list\n    up-to: ${a.text}\n    steps: [{ show: x }]',
        "6:14 not-a-count: a whole number, 0 or more, is needed here, but this is text, '5' | number(x) reads a number from a text",
      ],
      [
        'call: GET kiln /x\n    retry: { attempts: "${a.list}" }',
        '6:27 not-a-count: a whole number, 0 or more, is needed here, but this is a list, ["a", "b"] | -',
      ],
      [
        'each: x in a.list\n    up-to: 1\n    steps: [{ show: x }]',
        '5:5 bound-reached: 2 iterations would be more than 1, the most that this loop may have | up-to: 2, if so many are meant',
      ],
    ],
  ],
  [
    'loops',
    [
      [
        'each: x in a.none\n    steps: [{ show: x }]',
        '5:16 not-a-list: each needs a list, but a.none is null | the path of the list, or [x] for a list of one',
      ],
      [
        'each: x in a.list\n    gather: { ids: a.colour }\n    steps: [{ show: x }]',
        `6:20 found-nothing: a.colour found nothing: a has the members ${MEMBERS}, in it[0] 'a' | -`,
      ],
      [
        'each: x in a.list\n    at-once: 1\n    gather: { ids: number(x) }\n    steps: [{ show: x }]',
        "7:20 not-a-number: 'a' is not a number, in it[0] 'a' | digits with a point: '1234.5'; replace(x, ',', '') takes out separators",
      ],
      [
        'each: x in a.list\n    until: a.text\n    steps: [{ show: x }]',
        "6:12 not-yes-or-no: a condition is true or false, but this is text, in it[0] 'a' | compare it: x == '5'",
      ],
      ['repeat: { until: a.colour == 1 }\n    steps: [{ show: x }]', `5:22 found-nothing: ${NO_A}`],
    ],
  ],
  [
    'conditions',
    [
      [
        'when: a.text > 2\n    show: x',
        '5:11 kinds-differ: text and a number have no order | number(x) reads a number from a text',
      ],
      ['when: a.colour\n    show: x', `5:11 found-nothing: ${NO_A}`],
      [
        'call: GET kiln /x\n    expect: $.n + 1 == $.text',
        "6:13 not-as-expected: expected $.n + 1 == $.text, got $.n + 1 is 6, $.text is '5' | -",
      ],
      [
        'call: GET kiln /x\n    expect: $.list',
        '6:13 not-yes-or-no: a condition is true or false, but this is a list | compare it: x == true, x != null, exists(x)',
      ],
      [
        'call: GET kiln /x\n    expect: $.colour == 3',
        `6:13 found-nothing: expected $.colour == 3, got $.colour found nothing: $ has the members ${MEMBERS} | -`,
      ],
      [
        'call: GET kiln /x\n    expect: number($.id) > 3',
        "6:13 not-a-number: 'p1' is not a number | digits with a point: '1234.5'; replace(x, ',', '') takes out separators",
      ],
    ],
  ],
  [
    'insertions',
    [
      ['show: ${a.colour}', `5:13 found-nothing: ${NO_A}`],
      [
        'call: GET kiln /x/${a.empty}',
        "5:25 bad-insertion: a.empty would make an empty segment of the path, which is another resource | when: a.empty != ''",
      ],
      [
        'call: GET kiln /x\n    query: { q: "${a.object}" }',
        '6:20 wrong-kind: a.object is an object, and a text is wanted here: {"a": 1} | ${json(a.object)}, or one of its members',
      ],
      [
        'call: GET kiln /x\n    headers: { X-Note: "${a.lines}" }',
        "6:27 bad-insertion: the header X-Note would contain the control character \\r, which could start another header | trim(x), or replace(x, '…', ' ')",
      ],
      [
        'call: POST kiln /x\n    json: { wait: "${2s}" }',
        "6:5 not-json: a duration can't be written as JSON | x / 1s gives seconds as a number",
      ],
      [
        'call: GET kiln /x\n    keep: { n: $.n, first: number($.id) }',
        "6:28 not-a-number: 'p1' is not a number | digits with a point: '1234.5'; replace(x, ',', '') takes out separators",
      ],
    ],
  ],
  [
    'rows',
    [
      [
        'write: { to: out.csv, row: "${a.list}" }',
        '5:5 wrong-kind: a row is an object of columns, but this is a list, ["a", "b"] | row:\n  piece: ${piece}',
      ],
      [
        'write: { to: out.csv, one-row-per: id, row: { id: "${a.none}" } }',
        '5:5 wrong-kind: rows are told apart by the column id, and this row has no value for it | a value for id, or when: on the step',
      ],
      [
        'write: { to: out.csv, row: { id: "${a.list}" } }',
        '5:5 wrong-kind: the column id is a list, and a field of CSV is a text: ["a", "b"] | ${join(a.list, \' \')}, or ${json(a.list)}',
      ],
      [
        'write: { to: out.csv, row: { id: { deep: 1 } } }',
        '5:5 wrong-kind: the column id is an object, and a field of CSV is a text: {"deep": 1} | ${json(x)}, or one of its members',
      ],
      [
        `write: { to: out.csv, row: { id: "\${digest(a.id, 'sha-256')}" } }`,
        "5:5 wrong-kind: the column id is bytes, and a field of CSV is a text: 32 bytes | ${base64(digest(a.id, 'sha-256'))}",
      ],
      [
        'write: { to: out.jsonl, row: { id: "${2s}" } }',
        "5:5 not-json: a duration can't be written as JSON | x / 1s gives seconds as a number",
      ],
    ],
  ],
])('%s', (_, cases) => {
  test.each(cases)('%s', async (step, problem) => {
    expect(await problemOf(step)).toBe(problem);
  });
});

test.each<[string, string, string]>([
  ['every call', '/a', '?v=2&page_size=50'],
  ['a call that sets one of them', "/a\n    query: { v: '3', x: 1 }", '?page_size=50&v=3&x=1'],
  ['a call that leaves one out', '/a\n    query: { v: null }', '?page_size=50'],
  ['a URL that has one already', "'/a?v=9'", '?v=9&page_size=50'],
  ['an object of parameters', '/a\n    query: ${more}', '?page_size=50&v=7'],
])('parameters of the service stand in %s', async (_, call, expected) => {
  const { sent } = await runChain(
    `chain: A\ninputs: { more: { kind: json, default: { v: 7 } } }\nsteps:\n  - call: GET kiln ${call}\n`.replace(
      "GET kiln '/a?v=9'",
      'GET kiln /a?v=9',
    ),
    () => ({ json: '{}' }),
    {
      project: "services: { kiln: { url: 'https://kiln.example/v1', query: { v: 2, page_size: 50 } } }\n",
    },
  );
  expect(sent[0]?.url).toBe(`https://kiln.example/v1/a${expected}`);
});

test('parameters of a service go nowhere else, whatever leads there', async () => {
  const { sent } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { here: $.here, there: $.there }\n  - call: GET kiln ${here}\n  - call: GET kiln ${there}\n    as: nobody\n',
    () => ({ json: '{"here":"/v1/b?page=2","there":"https://other.example/c"}' }),
    {
      project:
        "services: { kiln: { url: 'https://kiln.example/v1', query: { key: '${secret.k}' } } }\nsecrets: { k: env K }\n",
      secrets: { k: 'swordfish' },
    },
  );
  expect(sent.map(({ url }) => url)).toEqual([
    'https://kiln.example/v1/a?key=swordfish',
    'https://kiln.example/v1/b?page=2&key=swordfish',
    'https://other.example/c',
  ]);
});

test('parameters of a service stand in the requests for further pages, and for a poll elsewhere', async () => {
  const { sent } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    pages: { next: $.next, items: $.items }\n  - call: POST kiln /jobs\n    poll: { at: $.at, until: $.done, every: 1s, within: 1m }\n    repeatable: yes\n',
    ({ url }) =>
      url.includes('/jobs')
        ? { json: '{"at":"/v1/state","done":false}' }
        : {
            json: url.includes('page=2')
              ? '{"items":[2],"next":null,"done":true}'
              : '{"items":[1],"next":"/v1/a?page=2","done":true}',
          },
    { project: "services: { kiln: { url: 'https://kiln.example/v1', query: { v: 2 } } }\n" },
  );
  expect(sent.map(({ url }) => url.replace('https://kiln.example/v1', ''))).toEqual([
    '/a?v=2',
    '/a?page=2&v=2',
    '/jobs?v=2',
    '/state?v=2',
  ]);
});
