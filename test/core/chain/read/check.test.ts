import { describe, expect, test } from '@jest/globals';
import type { Finding } from '../../../../src/core/chain/source/finding.ts';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT, readProject } from '../../../../src/core/chain/read/read-project.ts';

const PROJECT = `services:
  kiln:
    url: https://kiln.example/v1
    as: desk
credentials:
  desk: { kind: bearer, token: "\${secret.desk}" }
secrets:
  desk: env KILN_DESK
values:
  studio: north
`;
const { project } = readProject('batharon.yaml', PROJECT, undefined, true);

function findings(text: string): readonly Finding[] {
  return readChain('a.chain.yaml', text, project).findings;
}

/** Steps, with the chain's title on line 1 and `steps:` on line 2. */
const steps = (text: string): string => `chain: Test\nsteps:\n${text}`;

function shown({ place, code, message, hint, example, level }: Finding): string {
  const way = hint ?? example;
  return `${place?.line ?? 0}:${place?.column ?? 0} ${level === 'warning' ? 'warning ' : ''}${code}: ${message}${way === undefined ? '' : ` | ${way}`}`;
}

test('a chain without fault has no findings', () => {
  const text = `${steps(`  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { state: waiting, tag: [a, b], empty: "\${nothing ?? nothing}" }
    expect: [ status == 200, length($.pieces) > 0 ]
    keep:
      first: $.pieces[0].id
      made: { at: "$.pieces[0].made", all: "$.pieces[*].id" }
  - when: list.ok && studio == 'north'
    name: fire
    steps:
      - call: POST kiln /firings
        json: { piece: "\${first}", cone: "\${cone}", quoted: "6" }
        keep: { firing: $.id }
    else:
      - keep: { firing: "'none'" }
  - wait: 2s
  - show: \${firing} on \${rack} of \${join(made.all, ',')}
`)}inputs: { rack: { default: A3 }, cone: { kind: number, default: 6, must: cone > 0 } }
cleanup:
  - call: DELETE kiln /firings/\${firing}
results: { firing: firing, list: made.all }
`;
  expect(findings(text).map(shown)).toEqual([]);
});

describe('names and structure', () => {
  test.each<[string, string, string]>([
    [
      'an unknown key',
      '  - call: GET kiln /a\n    expct: status == 200\n',
      '4:5 unknown-key: a call has no key expct | the nearest is expect',
    ],
    ['a row without its file', '  - write: { row: { piece: p1 } }\n', '3:12 missing-key: write has no to'],
    [
      'a row for a JSON list',
      '  - write: { to: a.json, row: { piece: p1 } }\n',
      '3:18 wrong-form: rows are not written into a JSON list',
    ],
    [
      'a column that tells rows apart and is none of the row',
      '  - write: { to: a.csv, row: { piece: p1 }, one-row-per: peice }\n',
      '3:58 unknown-name: the row has no column peice | the nearest is piece',
    ],
    [
      'a row that is a text',
      '  - write: { to: a.csv, row: piece }\n',
      '3:30 wrong-form: a row is a map of columns and values',
    ],
    [
      'a name that the row uses and nothing defines',
      '  - write: { to: a.csv, row: { piece: "${pice}" } }\n',
      '3:42 unknown-name: nothing defines the name pice',
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
      '4:14 wrong-form: on-fail must be stop or continue',
    ],
    ['a small method', '  - call: get kiln /a\n', '3:11 wrong-form: get is no method of HTTP | GET kiln /a'],
    [
      'an unknown service',
      '  - call: GET klin /a\n',
      '3:15 unknown-service: the project has no service klin | the nearest is kiln',
    ],
    [
      'an unknown credential',
      '  - call: GET kiln /a\n    as: dsek\n',
      '4:9 unknown-credential: the project has no credential dsek | the nearest is desk',
    ],
    ['no slash', '  - call: GET kiln a\n', '3:20 wrong-form: a path begins with / | GET kiln /a'],
    [
      'an inserted host',
      '  - call: GET https://${studio}.example/\n',
      '3:15 wrong-form: the host of a URL is written out',
    ],
    [
      'a parameter twice',
      '  - call: GET kiln /a?state=x\n    query: { state: y }\n',
      '4:14 parameter-twice: state is set both in the URL and under query',
    ],
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
    [
      'an unknown member of a step',
      '  - call: GET kiln /a\n    name: list\n  - when: list.okk\n    show: x\n',
      '5:16 unknown-member: list has no member okk | the nearest is list.ok',
    ],
    [
      'kinds that never match',
      "  - call: GET kiln /a\n    expect: status == '200'\n",
      '4:23 kinds-differ: a number and text are never equal | without quotes it is a number: 200',
    ],
    [
      'elapsed without a unit',
      '  - call: GET kiln /a\n    expect: elapsed < 800\n',
      '4:23 kinds-differ: a duration and a number have no order | 800ms',
    ],
    [
      'a member of a list',
      '  - call: GET kiln /a\n    keep: { ids: "$.pieces[*].id" }\n  - show: ${ids.first}\n',
      '5:16 wrong-kind: ids is a list, which has no members | ids[0].first for the first',
    ],
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
      'a comparison of two literals',
      "  - call: GET kiln /a\n    expect: [ 1 == 1, '2 > 3', \"'a' in ['a']\" ]\n",
      '4:15 warning unreachable: this is always true, whatever comes\n4:23 warning unreachable: this is always false, whatever comes\n4:32 warning unreachable: this is always true',
    ],
    [
      'JSON in a text where JSON is made of it',
      '  - call: POST kiln /a\n    json: |\n      { "a": "${studio}", "b": ${1} }\n',
      '4:11 warning json-in-text: this is one text',
    ],
    [
      'an insertion in an expression',
      '  - call: GET kiln /a\n    keep: { id: "${$.id}" }\n',
      '4:18 text-in-expression: this field is already an expression, so ${ } has no meaning in it | $.id',
    ],
    [
      'double braces',
      '  - show: "{{studio}}"\n',
      '3:12 expression-in-text: double braces mean nothing here and are sent as they stand | ${studio}',
    ],
    [
      'a number that is none',
      '  - call: POST kiln /a\n    json: { a: 007 }\n',
      '4:16 wrong-form: 007 is neither a number of JSON nor plainly a text | 7, or "007" for the text',
    ],
    [
      'a header twice',
      '  - call: GET kiln /a\n    headers: { Accept: a, accept: b }\n',
      '4:27 wrong-form: the field accept stands here twice',
    ],
    [
      'two bodies',
      '  - call: POST kiln /a\n    json: {}\n    text: x\n',
      '5:5 wrong-form: a request has one body, and this one has json and text',
    ],
    [
      'a step that is never reached',
      '  - when: false\n    show: x\n',
      '3:11 warning unreachable: this never holds, so the step is never carried out',
    ],
    [
      "an expectation that can't fail",
      '  - call: GET kiln /a\n    expect: true || status == 200\n',
      '4:13 warning unreachable: this is always true',
    ],
    [
      'a value that is encoded twice, in a path',
      '  - keep: { x: "\'a b\'" }\n  - call: GET kiln /a/${percent(x)}?y=${x}\n',
      '4:25 warning encoded-twice: what is inserted here is percent-encoded anyway; with percent(…) it is encoded twice | ${x}',
    ],
    [
      'in a query, and not where an address is inserted as it is',
      '  - keep: { x: "\'a b\'" }\n  - call: GET kiln ${percent(x)}\n  - call: GET kiln /a\n    query: { a: ["${percent(x)}"] }\n',
      '6:21 warning encoded-twice: ',
    ],
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
  ])('%s', (_, text, expected) => {
    expect(findings(steps(text)).map(shown).join('\n')).toContain(expected);
  });

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
    ['index outside a loop', '  - show: ${index}\n', 'index has no meaning in this step'],
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
      'a poll that does not wait',
      '  - call: GET kiln /a\n    poll: { until: status == 200, every: 0s }\n',
      '4:42 wrong-form: a poll that does not wait asks as fast as the service answers',
    ],
    [
      'pages that lead nowhere',
      '  - call: GET kiln /a\n    pages: { items: $.pieces }\n',
      '4:12 missing-key: pages does not say how it comes to the next page',
    ],
    [
      'pages that lead on in two ways',
      "  - call: GET kiln /a\n    pages: { next: link('next'), next-query: { page: '${page + 1}' } }\n",
      'here are next and next-query',
    ],
    [
      'pages and a poll',
      "  - call: GET kiln /a\n    pages: { next: link('next') }\n    poll: { until: status == 200 }\n",
      'a call polls or reads pages, and here it does both',
    ],
    [
      'pages under one key',
      '  - call: POST kiln /search\n    idempotency: yes\n    pages: { next-json: { after: "${$.last}" } }\n',
      'each request of pages would carry the same key',
    ],
    [
      'a poll under one key',
      "  - call: POST kiln /state\n    idempotency: yes\n    poll: { until: $.state == 'done' }\n",
      'each request of a poll would carry the same key',
    ],
    ['no attempt', '  - call: GET kiln /a\n    retry: { attempts: 0 }\n', 'there is at least one'],
    [
      'something to repeat that is nothing',
      '  - call: GET kiln /a\n    retry: { on: [200] }\n',
      '4:18 wrong-form: on must be a list of no-response',
    ],
    [
      'a wait that goes down',
      '  - call: GET kiln /a\n    retry: { wait: 30s..1s }\n',
      "wait must be a duration, or two with .. between them, but this is '30s..1s'",
    ],
    [
      'a credential that signs nothing',
      '  - call: POST kiln /a\n    callback: { signed-by: desk }\n',
      'the project has no credential desk of kind message-signature',
    ],
    [
      'gathered without pages',
      '  - call: GET kiln /a\n    expect: length(gathered) > 0\n',
      'gathered has no meaning in this step',
    ],
    [
      'a chain that is not there',
      '  - follow: none.chain.yaml\n',
      '3:13 file-not-found: there is no chain none.chain.yaml',
    ],
    [
      'rows as a list',
      '  - each: row in rows\n    steps:\n      - show: ${length(rows)}\n',
      'nothing defines the name rows',
    ],
  ])('%s', (_, text, expected) => {
    expect(findings(steps(text)).map(shown).join('\n')).toContain(expected);
  });

  test('a pace that would send nothing', () => {
    for (const [pace, message] of [
      ['0 per second', 'a pace of 0 would send nothing'],
      ['{ at-once: 0 }', 'at-once is at least 1'],
      ['10 a second', 'pace must be a number per second, minute, hour or day'],
      ['{ budget: 10 per week }', 'budget must be a number per hour or day'],
    ]) {
      const text = `services:\n  kiln:\n    url: https://kiln.example\n    pace: ${pace!}\n`;
      const { findings: found } = readProject('batharon.yaml', text, undefined, true);
      expect(found.map((one) => one.message).join()).toContain(message);
    }
  });

  test('all problems of a file are found in one go, in its order', () => {
    const text =
      'chain: Test\ninputs:\n  unused: {}\nsteps:\n  - call: GET kiln /${a}\n    expect: [ b == 1, c == 2 ]\n  - wiat: 2s\nresults: { x: d }\n';
    expect(findings(text).map(({ place }) => place?.line)).toEqual([5, 6, 6, 7, 8]);
  });

  test.each(['', 'just text', '- a\n- b\n', 'chain: x\n', 'steps: []\nchain: x\n'])(
    '%j is no chain',
    (text) => {
      const { chain, findings: found } = readChain('a.chain.yaml', text, project);
      expect(chain).toBeUndefined();
      expect(found.length).toBeGreaterThan(0);
    },
  );
});

describe('what YAML does to expressions is said, and the line is printed as it should stand', () => {
  test.each<[string, string, RegExp, string]>([
    [
      'a bracket in { }',
      '  - keep: { x: list[0].b }',
      /ends a value at a bracket/,
      '- keep: { x: "list[0].b" }',
    ],
    ['a comma in { }', '  - keep: { a: max(x, y) }', /ends a value at a comma/, '- keep: { a: "max(x, y)" }'],
    [
      'a quote in [ ]',
      "  - expect: [ headers['a'] == 'b' ]",
      /bracket/,
      `- expect: [ "headers['a'] == 'b'" ]`,
    ],
    [
      'a colon',
      "  - expect:\n      - x.m == 'error: none'",
      /makes a key of what stands before it/,
      `- "x.m == 'error: none'"`,
    ],
    ['a tag', '  - when: !done', /as a tag/, '- when: "!done"'],
    [
      'a comment',
      "  - when: x == ' #1'",
      /starts a comment, so it reads only x == '/,
      `- when: "x == ' #1'"`,
    ],
    ['a first quote', "  - when: 'a' == x", /ends the value at the second quote/, `- when: "'a' == x"`],
    ['an at sign', '  - keep:\n      a: @.b', /no value may begin with @/, 'a: "@.b"'],
    [
      'an insertion in { }',
      '  - call: POST kiln /a\n    json: { a: ${x}, b: y }',
      /takes the braces of an insertion/,
      'json: { a: "${x}", b: y }',
    ],
    ['a filter in { }', '  - keep: { a: list[?@.x == 1] }', /bracket/, '- keep: { a: "list[?@.x == 1]" }'],
  ])('%s', (_, text, message, hint) => {
    const trap = findings(steps(`${text}\n`)).find(({ code }) => code === 'yaml-trap');
    expect(trap?.message).toMatch(message);
    expect(trap?.instead).toBe(hint);
    const { range, text: written } = trap!.fix!;
    const source = steps(`${text}\n`);
    const fixed = source.slice(0, range[0]) + written + source.slice(range[1]);
    expect(findings(fixed).filter(({ code }) => code === 'yaml-trap' || code === 'yaml')).toEqual([]);
  });

  test('what stands below a trap is found in the same go', () => {
    const text =
      'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { peices: $.x }\n    expect: { holds: "$.a" in [6, 8], because: it fits }\n  - keep: { y: max(peices, 2) }\n  - show: ${length(pieces)}\n';
    expect(findings(text.replace('"$.a"', '$.a')).map(({ place, code }) => `${place!.line} ${code}`)).toEqual(
      ['5 yaml-trap', '6 yaml-trap', '7 unknown-name'],
    );
  });

  test('a quoted lone name', () => {
    expect(findings(steps("  - keep: { x: 'pieces' }\n")).map(shown)[0]).toBe(
      `3:16 yaml-trap: the quotes around pieces belong to YAML, so this is the name pieces, not a text | "'pieces'" for the text; pieces without quotes for the name`,
    );
  });

  test.each([
    ['a first star', '  - show: *** done ***', /\* is no anchor|not YAML/],
    ['a second document', '  - show: x\n---\na: b', /second document/],
    ['a key twice', '  - show: x\n    show: y', /stands here twice/],
    ['a tag', '  - show: !!int 5', /tag/],
    ['a merge key', '  - <<: { show: x }', /merge keys/],
    ['a tab', '\t- show: x', /tab/],
  ])('%s', (_, text, message) => {
    expect(
      findings(steps(`${text}\n`))
        .map(({ message: said }) => said)
        .join('\n'),
    ).toMatch(message);
  });

  test("constants that can't be read, and files that are not there, are found before anything is sent", () => {
    const expressions = ["number('abc')", "time('nope')", '1 / 0', "parse('nope')", "percent('a') % 0"];
    for (const one of expressions.slice(0, 4))
      expect([one, findings(steps(`  - keep: { x: "${one}" }\n`)).map(({ level }) => level)]).toEqual([
        one,
        ['problem'],
      ]);
    const files = Object.assign(() => undefined, { exists: (path: string) => path === 'there.bin' });
    const text = steps(
      `  - call: POST kiln /a
    file: missing.bin
  - call: POST kiln /a
    file: there.bin
  - call: GET kiln /a
    save: made.bin
  - call: POST kiln /a
    multipart: { part: { file: made.bin }, other: { file: gone.bin } }
  - call: POST kiln /a
    file: \${studio}.bin
`,
    );
    expect(
      readChain('a.chain.yaml', text, project, { files }).findings.map(({ code, message }) => [
        code,
        message,
      ]),
    ).toEqual([
      ['file-not-found', 'the file missing.bin does not exist'],
      ['file-not-found', 'the file gone.bin does not exist'],
    ]);
  });

  test('what stands in texts as texts do is none of them', () => {
    const fine = [
      '  - call: POST kiln /a',
      '    name: shop',
      '    keep: { fired: $, layer: $.a, n: "1" }',
      '  - call: POST kiln /b',
      '    json: { host: shop.example.com, log: fired.csv, id: "uuid()", page: "n + 1", say: it is so (really) }',
      '    query: { after: 007, file: layer.bin }',
      '    headers: { X: shop.status }',
      '  - show: shop.status # as it was',
      '  - write: { to: fired.csv, row: { a: 1 } }',
    ];
    expect(findings(steps(`${fine.join('\n')}\n`)).map(shown)).toEqual([]);
  });

  test('what YAML reads as it was meant is no trap', () => {
    const fine = [
      '  - show: it is # 1, "really"',
      '  - show: a, b [c] {d}',
      '  - call: GET kiln /a # the list',
      '    expect: status == 200 # as always',
      '    query: { state: waiting, ids: [a, b], note: "x: y" }',
      '    headers: { Accept: "application/json", X-A: a/b }',
      "    keep: { first: $.a.b, second: 'if(true, 1, 2)' }",
    ].join('\n');
    expect(findings(steps(`${fine}\n`)).map(shown)).toEqual([]);
  });

  test("aliases can't be made to explode", () => {
    const bomb = Array.from(
      { length: 12 },
      (_, i) =>
        `  b${i}: &b${i} [${Array(10)
          .fill(i === 0 ? 'x' : `*b${i - 1}`)
          .join(', ')}]`,
    ).join('\n');
    expect(findings(`${steps('  - show: x\n')}results:\n${bomb}\n`).length).toBeGreaterThan(0);
  });
});

describe('project files', () => {
  const check = (text: string, environment?: string): string[] =>
    readProject('batharon.yaml', text, environment, true).findings.map(shown);

  test('what the project says is no secret is not taken for one, unless it has the shape of one', () => {
    const project = (never: string) =>
      readProject(
        'batharon.yaml',
        `services: { kiln: { url: https://kiln.example } }\nmask: { never: [${never}] }\nvalues: { secret_key: abc123def456 }\n`,
        undefined,
        true,
      );
    const chain = (never: string) =>
      readChain(
        'a.chain.yaml',
        'chain: A\nsteps:\n  - call: POST kiln /a\n    json: { routing_key: q8Zr2LwX0pTn5VbK7s, api-key: Bearer abcdefgh12345678 }\n',
        project(never).project,
      );
    expect(project('').findings.map(({ code }) => code)).toEqual(['secret-in-plain-text']);
    expect(project('secretKey').findings).toEqual([]);
    expect(chain('').findings.map(({ level }) => level)).toEqual(['warning', 'problem']);
    expect(chain('routingKey, api_key').findings.map(shown)).toEqual([
      expect.stringContaining('secret-in-plain-text: a credential stands readable under api-key'),
    ]);
  });

  test.each<[string, string, string]>([
    [
      'an unknown kind',
      'credentials:\n  a: { kind: baerer, token: x }\n',
      '2:14 wrong-form: there is no credential of kind baerer | the nearest is bearer',
    ],
    [
      'a missing key',
      'credentials:\n  a: { kind: basic, user: anna }\n',
      '2:6 missing-key: a credential of kind basic has no password',
    ],
    [
      'a readable password',
      'credentials:\n  a: { kind: basic, user: anna, password: clay }\n',
      '2:43 secret-in-plain-text: the password of a is in the file in plain text',
    ],
    [
      'a secret without a source',
      'secrets:\n  a: hunter2hunter2\n',
      '2:6 wrong-form: the secret a does not say where it comes from',
    ],
    [
      'no URL',
      'services:\n  a: { url: kiln.example }\n',
      "2:13 not-a-url: 'kiln.example' is not the URL of a service",
    ],
    [
      'a password in a URL',
      'services:\n  a: { url: "https://u:p@kiln.example" }\n',
      '2:13 secret-in-plain-text',
    ],
    [
      'plain http',
      'services:\n  a: { url: "http://kiln.example", as: b }\ncredentials:\n  b: { kind: bearer, token: "${secret.b}" }\nsecrets: { b: env B }\n',
      '2:13 plain-http: a credential would be sent over plain HTTP to kiln.example',
    ],
    ['no such zone', 'zone: Europe/Lisbo\n', "1:7 unknown-zone: unknown time zone 'Europe/Lisbo'"],
    [
      'no choice',
      'environments:\n  a: {}\n  b: {}\n',
      '2:3 environment-needed: the project has several environments (a, b) but no default',
    ],
    [
      'an override of nothing',
      'environments:\n  a: { servces.x.url: y }\n',
      "2:8 unknown-key: an environment can't set servces.x.url | the nearest is services",
    ],
    [
      'an override of a service that there is none of',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services.flims.url: "https://stage.example" }\n',
      '4:12 unknown-key: the project has no service flims that an environment could change | the nearest is films',
    ],
    [
      'a nested one',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services: { flims: { url: "https://stage.example" } } }\n',
      '4:24 unknown-key: the project has no service flims',
    ],
    [
      'of a key that services have not',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services.films.ulr: "https://stage.example" }\n',
      '4:12 unknown-key: a service has no key ulr | the nearest is url',
    ],
    [
      'of a secret',
      'environments:\n  stage: { secrets.desk: env X }\n',
      '2:12 unknown-key: the project has no secret desk that an environment could change',
    ],
    [
      'a guard that is none',
      'guard: reads\n',
      '1:8 wrong-form: guard must be one of none, ask, reads-only, but this is',
    ],
    [
      'a secret that moves along',
      'services:\n  a: { url: "https://test.example", as: b }\ncredentials:\n  b: { kind: bearer, token: "${secret.b}" }\nsecrets: { b: env B }\nenvironments:\n  live: { services.a.url: "https://live.example" }\n',
      '7:3 warning secret-moved: the environment live moves a from https://test.example to https://live.example and sends it the same secret b',
    ],
  ])('%s', (_, text, expected) => {
    expect(check(text).join('\n')).toContain(expected);
  });

  test('a map that an environment sets is merged into what is there', () => {
    const text = `services:
  films: { url: "https://live.example", as: desk, pace: 2 per second }
  stock: { url: "https://stock.example" }
credentials:
  desk: { kind: basic, user: anna, password: "\${secret.desk}" }
secrets: { desk: env A }
environments:
  stage:
    services: { films: { url: "https://stage.example" } }
    credentials.desk: { kind: bearer, token: "\${secret.desk}" }
    secrets.desk: env B
    guard: ask
  other:
    services.films: { url: "https://other.example" }
`;
    const { project: stage, findings } = readProject('batharon.yaml', text, 'stage', true);
    const films = stage.services.get('films')!;
    expect([findings, films.url, films.as, films.pace?.rate, [...stage.services.keys()]]).toEqual([
      [],
      expect.objectContaining({ parts: ['https://stage.example'] }),
      'desk',
      { count: 2, period: 1000 },
      ['films', 'stock'],
    ]);
    expect([stage.credentials.get('desk')!.kind, stage.guard]).toEqual(['bearer', 'ask']);
    const other = readProject('batharon.yaml', text, 'other', true).project;
    expect([other.services.get('films')!.as, other.guard]).toEqual(['desk', 'none']);
  });

  test('an environment overrides by dotted keys', () => {
    const text =
      'services:\n  a: { url: "https://test.example" }\nvalues: { studio: north }\nenvironments:\n  live:\n    services.a.url: https://live.example\n    values.studio: 9007199254740993\n  other: {}\ndefault-environment: other\n';
    const { project: live } = readProject('batharon.yaml', text, 'live', true);
    expect(live.environment).toBe('live');
    expect(live.services.get('a')!.url).toMatchObject({ parts: ['https://live.example'] });
    expect(readProject('batharon.yaml', text, undefined, true).project.environment).toBe('other');
    expect(check(text, 'liv')[0]).toContain(
      'unknown-environment: the project has no environment liv | the nearest is live',
    );
  });
});

test.each([
  ['$.a[?@.b == 1][0]', 'first($.a[?@.b == 1])'],
  ['$.a[?@.b == 1][-1].c', 'last($.a[?@.b == 1]).c'],
  ['$.a[1:3][2]', 'slice($.a[1:3], 2, 3)'],
  ['$.a[0][?@.b == 1].c', undefined],
  ['$.a[*][0]', undefined],
  ["length($.a[?@.b == 'x'][0])", "first($.a[?@.b == 'x'])"],
])('an index behind a filter or a slice is warned about: %s', (expression, hint) => {
  const text = `chain: A\nsteps:\n  - call: GET https://kiln.example/a\n    keep: { x: "${expression}" }\n`;
  const { findings } = readChain('a.chain.yaml', text, NO_PROJECT);
  const warnings = findings.filter(({ code }) => code === 'index-in-each-item');
  expect(warnings.map((one) => one.hint)).toEqual(hint === undefined ? [] : [hint]);
});

test.each([
  ['callback', 'callback: {}\n    json: { to: "${callback}" }'],
  ['page', 'pages: { next-query: { page: "${page + 1}" } }'],
])('a name that a call gives itself can not be kept before: %s', (name, key) => {
  const text = `chain: A\nsteps:\n  - call: GET https://kiln.example/a\n    keep: { ${name}: $.a }\n  - call: POST https://kiln.example/b\n    ${key}\n`;
  const { findings } = readChain('a.chain.yaml', text, NO_PROJECT);
  expect(findings.filter(({ code }) => code === 'name-twice').map(({ place }) => place?.line)).toEqual([6]);
});
