// The built program, as a person uses it.
import { createServer } from 'node:net';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, test } from '@jest/globals';
import { eventSchema } from '../../../src/core/events.ts';
import { KEYS } from '../../../src/practice/state.ts';
import { batharon, type Finished, folderWith, PRACTICE } from '../support.ts';

const glazed = `chain: Find a piece
inputs:
  rack: { default: A3 }
  limit: { kind: number, default: 5, must: limit <= 50 }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { limit: "\${limit}" }
    keep:
      pieces: $.pieces
      first: $.pieces[0].id
      serial: $.pieces[0].serial
  - show: the first of \${length(pieces)} is \${first}
results:
  first: first
  serial: serial
`;

describe('demo', () => {
  let demo: Finished;
  beforeAll(async () => {
    demo = await batharon(folderWith({}), ['demo']);
  });

  test('needs nothing, tells its story and ends with 0', () => {
    expect(demo).toMatchObject({ code: 0, stdout: '' });
    expect(demo.stderr).toContain('8 glazed pieces wait on rack A3; p1009 costs 53.00');
    expect(demo.stderr).toMatch(/passed\s+delete\s+204/);
    expect(demo.stderr).toMatch(/failed\s+certificate\s+200/);
    expect(demo.stderr).toMatch(/got\s+'text\/html', a page titled "Kiln closed"/);
    expect(demo.stderr).toMatch(/at\s+kiln-closed\.chain\.yaml:\d+:\d+/);
  });

  test('shows no key and no colour', () => {
    expect(demo.stderr).not.toMatch(/ember-desk|emb_[A-Za-z0-9_-]{8}|\u001b/);
  });

  test('writes its files, which then run', async () => {
    const folder = folderWith({});
    expect((await batharon(folder, ['demo', '--write', 'kiln'])).code).toBe(0);
    expect((await batharon(folder, ['demo', '--write', 'kiln'])).code).toBe(2);
    const chains = ['glazed', 'piece', 'kiln-closed'].map((name) => `${name}.chain.yaml`);
    const all = await batharon(join(folder, 'kiln'), ['run', ...chains]);
    expect(all.code).toBe(1);
    expect(Object.keys(JSON.parse(all.stdout) as object)).toEqual(['glazed.chain.yaml']);
    expect((await batharon(join(folder, 'kiln'), ['check'])).code).toBe(0);
  });
});

describe('run', () => {
  const folder = folderWith({ 'batharon.yaml': PRACTICE, 'glazed.chain.yaml': glazed });

  test('results go to standard output, everything else to standard error', async () => {
    const { code, stdout, stderr } = await batharon(folder, [
      'run',
      'glazed.chain.yaml',
      '--give',
      'limit=3',
    ]);
    expect(code).toBe(0);
    expect(stdout).toMatch(/^\{\n {2}"first": "p1003",\n {2}"serial": 90071992567\d+\n\}\n$/);
    expect(stderr).toContain('shows   the first of 3 is p1003');
  });

  test('--print gives one result as plain text', async () => {
    expect(
      (await batharon(folder, ['run', '--print', 'first', '--give-from', '-'.replace('-', 'given.yaml')]))
        .code,
    ).toBe(2);
    expect((await batharon(folder, ['run', '--print', 'first'])).stdout).toBe('p1003\n');
    const wrong = await batharon(folder, ['run', '--print', 'frist']);
    expect([wrong.code, wrong.stderr]).toEqual([2, expect.stringContaining('--print first')]);
  });

  test('--json prints one event a line, as core/events.ts has them', async () => {
    const { code, stdout } = await batharon(folder, ['run', '--json']);
    expect(code).toBe(0);
    const events = stdout
      .trimEnd()
      .split('\n')
      .map((line) => eventSchema.parse(JSON.parse(line)));
    expect([events[0]!.event, events.at(-1)!.event]).toEqual(['run-began', 'run-ended']);
    expect(stdout).not.toMatch(/ember-desk|emb_[A-Za-z0-9_-]{8}/);
  });

  test('--dry sends nothing and shows what is not known yet', async () => {
    const { code, stderr } = await batharon(
      folderWith({
        'batharon.yaml': PRACTICE,
        'a.chain.yaml': glazed.replace('results:', '  - call: GET kiln /pieces/${first}\nresults:'),
      }),
      ['run', '--dry'],
    );
    expect(code).toBe(0);
    expect(stderr).toContain('/racks/A3/pieces?limit=5');
    expect(stderr).toContain('/pieces/‹list: $.pieces[0].id›');
  });

  test.each<[string, readonly string[], number, RegExp]>([
    ['a file that is not there', ['run', 'glazd.chain.yaml'], 2, /there is no file glazd\.chain\.yaml/],
    [
      'an input that no chain has',
      ['run', '--give', 'rak=A1'],
      2,
      /no chain has an input rak.*\n.*the nearest is rack/,
    ],
    ['an input that is none', ['run', '--give', 'limit=many'], 2, /'many' is not a number/],
    [
      'an input out of bounds',
      ['run', '--give', 'limit=99'],
      2,
      /the input limit must satisfy limit <= 50, but is 99/,
    ],
    ['an environment that is not there', ['run', '--env', 'live'], 2, /no environment live/],
    ['an unknown option', ['run', '--giv', 'a=b'], 2, /unknown option/],
    ['an unknown command', ['rnu'], 2, /unknown command/],
    [
      'a rack that is not there',
      ['run', '--give', 'rack=Z9'],
      1,
      /got\s+404[\s\S]*response\s+.*No such rack/,
    ],
  ])('%s', async (_, args, code, message) => {
    const finished = await batharon(folder, args);
    expect(finished.code).toBe(code);
    expect(finished.stderr).toMatch(message);
  });

  test('--give reads files and standard input', async () => {
    const finished = await batharon(folder, ['run', '--give', 'rack=-', '--give', 'limit=@given'], {
      input: 'B1\n',
    });
    expect(finished.stderr).toContain("the value of limit can't be read");
    const both = await batharon(
      folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': glazed, 'given.yaml': 'limit: 2\n' }),
      ['run', '--give', 'rack=-', '--give-from', 'given.yaml'],
      { input: 'B1\n' },
    );
    expect(both.stderr).toMatch(/GET kiln \/racks\/B1\/pieces[\s\S]*the first of 2/);
  });

  test('inputs of each kind, and a secret out of a file', async () => {
    const chain = `chain: A
inputs:
  day: { kind: date }
  mode: { kind: choice, choices: [glazed, plain], default: plain }
  dry: { kind: yes-no, default: no }
  ids: { kind: json, default: [1, 2.50] }
  pin: { kind: secret }
steps:
  - call: GET kiln /glazes
    as: filed
    headers: { Kiln-Pin: "\${pin}" }
    keep: { pinned: "sent.headers['kiln-pin']" }
  - show: \${date(day + 1d)} \${mode} \${if(dry, 'dry', 'wet')} \${json(ids)} \${pinned}
results: { pinned: pinned, ids: ids }
`;
    const filed = PRACTICE.replace(
      'credentials:',
      'credentials:\n  filed: { kind: query, name: key, value: "${secret.filed}" }',
    ).replace('secrets:', 'secrets:\n  filed: file key.txt');
    const own = folderWith({ 'batharon.yaml': filed, 'a.chain.yaml': chain, 'key.txt': `${KEYS.apiKey}\n` });
    const given = [
      '--give',
      'day=2026-02-28',
      '--give',
      'dry=yes',
      '--give',
      'ids=[9007199254740993]',
      '--give',
      'pin=739-001-22',
    ];
    const { code, stdout, stderr } = await batharon(own, ['run', ...given]);
    expect([code, stderr]).toEqual([
      0,
      expect.stringContaining('shows   2026-03-01 plain dry [9007199254740993] ‹secret pin›'),
    ]);
    expect(stdout).toContain('"pinned": "‹secret pin›"');
    expect(stdout + stderr).not.toMatch(/739-001-22|ember-key/);
    for (const [wrong, message] of [
      ['day=tomorrow', "'tomorrow' is not a date"],
      ['mode=glazd', 'glazed'],
      ['dry=maybe', 'yes or no'],
      ['ids=[1,', 'line 1, column 4'],
    ] as const) {
      const refused = await batharon(own, ['run', ...given, '--give', wrong]);
      expect([refused.code, refused.stderr]).toEqual([2, expect.stringContaining(message)]);
    }
    const short = await batharon(own, ['run', ...given, '--give', 'pin=7x9']);
    expect([short.code, short.stderr]).toEqual([0, expect.stringContaining('fewer than 6 characters')]);
    const [id] = /[0-9a-z]{6}\n/.exec(short.stderr)!;
    expect((await batharon(own, ['view', `${id.trim()}:0`])).stdout).toContain('‹kiln-pin›');
  });

  test('a missing input and a missing secret are said before anything is sent', async () => {
    const chain =
      'chain: A\ninputs:\n  rack: { about: the rack }\nsteps:\n  - call: GET kiln /racks/${rack}\n';
    const missing = await batharon(folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': chain }), ['run']);
    expect([missing.code, missing.stderr]).toEqual([
      2,
      expect.stringMatching(/a\.chain\.yaml:3:3: the chain "A" needs rack \(the rack\)[\s\S]*--give rack=…/),
    ]);
    const elsewhere = PRACTICE.replace('url: practice', 'url: http://127.0.0.1:9');
    const secret = await batharon(folderWith({ 'batharon.yaml': elsewhere, 'a.chain.yaml': chain }), [
      'run',
      '--give',
      'rack=A3',
    ]);
    expect([secret.code, secret.stderr]).toEqual([
      2,
      expect.stringContaining('the secret desk comes from the variable KILN_DESK_SECRET, which is not set'),
    ]);
  });

  test.each(['SIGINT', 'SIGTERM', 'SIGHUP'] as const)(
    'an interruption ends the request, carries out the cleanup and exits with 130: %s',
    async (signal) => {
      const chain = `chain: A
steps:
  - call: POST kiln /pieces
    name: create
    json: { name: a, rack: A1 }
    keep: { id: $.id }
  - call: GET kiln /pieces
    name: slow
    query: { mishap: late }
cleanup:
  - call: DELETE kiln /pieces/\${id}
    name: delete
`;
      let asked = false;
      const { code, stderr } = await batharon(
        folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': chain }),
        ['run'],
        {
          during: (text, kill) => {
            if (asked || !/passed\s+create/.test(text)) return;
            asked = true;
            setTimeout(() => kill(signal), 300);
          },
        },
      );
      expect(code).toBe(130);
      expect(stderr).toMatch(/interrupted\s+slow[\s\S]*passed\s+delete\s+204/);
    },
  );

  test('credentials of each kind', async () => {
    const chain = `chain: A
steps:
  - { call: GET kiln /glazes, name: key, as: key, expect: "any($, @.price == 4.50)" }
  - { call: GET kiln /glazes, name: nobody, as: nobody, expect: status == 401 }
  - { call: POST kiln /pieces, name: not_allowed, as: key, json: { name: a, rack: A1 }, expect: status == 403 }
  - { call: GET kiln /office/orders, name: office, as: office, expect: "length($.orders) == 2" }
`;
    const { code, stderr } = await batharon(
      folderWith({
        'batharon.yaml': PRACTICE,
        'a.chain.yaml': chain,
      }),
      ['run'],
    );
    expect([code, stderr]).toEqual([0, expect.stringMatching(/passed\s+office\s+200/)]);
  });
});

describe('what a service can do', () => {
  test.each<[string, string, number, RegExp]>([
    ['500', '', 1, /got\s+500/],
    ['503', 'retry: { retry-after: 0s, attempts: 1 }', 1, /got\s+503, a page titled "Back in a moment"/],
    ['reset', '', 3, /reset the connection|closed the connection/],
    [
      'slow-first-byte',
      'timeout: 200ms',
      3,
      /no response within 200ms in all; it was waiting for the first byte of the response after/,
    ],
    ['slow-body', 'timeout: 200ms', 3, /had begun to come, and was not complete within 200ms in all/],
    ['cut-body', '', 3, /after a response with status 200 had begun/],
    ['broken-json', '', 1, /not JSON: .*line 1, column \d+/],
    [
      'wrong-type',
      '',
      1,
      /expected\s+JSON, as its content type application\/json says\s+got\s+a page titled "Kiln closed"/,
    ],
    ['huge-body', '', 3, /larger than 64 MiB/],
    ['endless-body', '', 3, /larger than 64 MiB/],
    ['redirect-away', '', 1, /the credential removed/],
    ['redirect-loop', '', 3, /redirected in a circle/],
  ])('%s', async (mishap, key, exit, message) => {
    const chain = `chain: A\nsteps:\n  - call: GET kiln /pieces\n    query: { mishap: "${mishap}" }\n    ${key}\n`;
    const { code, stderr } = await batharon(
      folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': chain }),
      ['run'],
    );
    expect(stderr).toMatch(message);
    expect(code).toBe(exit);
  });

  test.each<[string, string, RegExp]>([
    ['nothing listens', 'http://127.0.0.1:9', /nothing listens at 127\.0\.0\.1:9/],
    ['no such host', 'http://kiln.invalid', /the name kiln\.invalid can't be (?:found|looked up)/],
  ])('%s', async (_, url, message) => {
    const { code, stderr } = await batharon(
      folderWith({ 'a.chain.yaml': `chain: A\nsteps:\n  - call: GET ${url}/\n` }),
      ['run'],
    );
    expect([code, stderr]).toEqual([3, expect.stringMatching(message)]);
  });

  test('what answers is not HTTP', async () => {
    const server = createServer((socket) => socket.end('SSH-2.0-Kiln\r\n'));
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as { port: number };
    const folder = folderWith({
      'a.chain.yaml': `chain: A\nsteps:\n  - call: GET http://127.0.0.1:${port}/\n`,
    });
    expect(await batharon(folder, ['run'])).toMatchObject({
      code: 3,
      stderr: expect.stringContaining('does not speak HTTP'),
    });
    server.close();
  });
});

describe('check and explain', () => {
  test('check prints file, line and column, the line and the way out; --fix writes it', async () => {
    const folder = folderWith({
      'batharon.yaml': PRACTICE,
      'a.chain.yaml':
        "chain: A\nsteps:\n  - call: GET kiln /a\n    name: a\n    keep: { x: $.b[0].c, y: max($.d) }\n    expect: $.m == ' #1'\n",
    });
    const found = await batharon(folder, ['check']);
    expect(found.code).toBe(2);
    expect(found.stderr).toMatch(
      /a\.chain\.yaml:5:16: inside \{ \}[\s\S]*\n {4} {4}keep: \{ x: \$\.b\[0\]\.c, y: max\(\$\.d\) \}\n {4} {15}\^\n {4}instead: keep: \{ x: "\$\.b\[0\]\.c"/,
    );
    const fixed = await batharon(folder, ['check', '--fix']);
    expect([fixed.code, fixed.stderr]).toEqual([0, expect.stringContaining('no problems')]);
    expect(readFileSync(join(folder, 'a.chain.yaml'), 'utf8')).toContain(`expect: "$.m == ' #1'"`);
  });

  test('a key that check finds is not shown again', async () => {
    const chain =
      'chain: A\nsteps:\n  - call: GET kiln /a\n    headers: { Authorization: Bearer abcdefgh12345678, A: b, a: c }\n';
    const { code, stderr } = await batharon(
      folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': chain }),
      ['check'],
    );
    expect([code, stderr]).toEqual([2, expect.stringContaining('headers: { Authorization: ‹not shown›')]);
    expect(stderr).toContain('stands here twice');
    expect(stderr).not.toContain('abcdefgh');
  });

  test('several files, and a folder, are checked in one go', async () => {
    const folder = folderWith({
      'batharon.yaml': 'zone: Nowhere\n',
      'one/a.chain.yaml': 'chain: A\nsteps: [{ wiat: 1s }]\n',
      'two/b.chain.yaml': 'chain: B\n',
    });
    const { code, stderr } = await batharon(folder, ['check', 'one', 'two/b.chain.yaml']);
    expect(code).toBe(2);
    expect(stderr).toMatch(
      /batharon\.yaml:1:7[\s\S]*one\/a\.chain\.yaml:2:11[\s\S]*two\/b\.chain\.yaml:1:1[\s\S]*3 problems/,
    );
  });

  test('names that JavaScript gives to every object are names like others', async () => {
    const folder = folderWith({
      'batharon.yaml': `services:
  constructor: { url: practice, as: __proto__, headers: { valueOf: x } }
credentials:
  __proto__: { kind: header, name: Emberfold-Key, value: "\${secret.toString}" }
secrets:
  toString: env KILN_API_KEY
values: { hasOwnProperty: 5 }
environments:
  constructor: {}
`,
      'body.constructor': 'x',
      'a.chain.yaml': `chain: Names
inputs:
  constructor: { default: A3 }
  toString: { kind: number, default: 4 }
  valueOf: { kind: json }
steps:
  - call: GET constructor /racks/\${constructor}/pieces
    name: isPrototypeOf
    query: { limit: "\${toString}", __proto__: b }
    keep: { propertyIsEnumerable: $.rack }
  - each: toLocaleString in [1, 2]
    name: loop
    steps:
      - show: "\${toLocaleString}"
    gather: { watched: toLocaleString }
  - call: POST constructor /pieces
    file: body.constructor
    expect: status == 403
  - write: { to: out.csv, row: { constructor: "\${constructor}" } }
  - show: "\${propertyIsEnumerable} \${hasOwnProperty} \${isPrototypeOf.status} \${valueOf}"
results: { __proto__: watched, constructor: constructor }
`,
    });
    const give = ['--give', 'valueOf=3'];
    const ran = await batharon(folder, ['run', ...give]);
    expect(ran.stderr).toContain('shows   A3 5 200 3');
    expect([ran.code, ran.stdout]).toEqual([
      0,
      '{\n  "__proto__": [\n    1,\n    2\n  ],\n  "constructor": "A3"\n}\n',
    ]);
    expect((await batharon(folder, ['run', '--dry', ...give])).stderr).toContain(
      '/racks/A3/pieces?limit=4&__proto__=b',
    );
    const again = await batharon(folder, ['run', '--replay', 'last', ...give]);
    expect([again.code, again.stdout]).toEqual([0, ran.stdout]);
    expect((await batharon(folder, ['compare', 'last', 'last'])).code).toBe(0);
    const wrong = await batharon(
      folderWith({ 'a.chain.yaml': 'chain: A\nsteps:\n  - show: "${toString}"\n' }),
      ['check'],
    );
    expect(wrong.stderr).toMatch(/nothing defines the name toString .*\n.*\n.*\n {4}hint: names here: run/);
  });

  test('explain', async () => {
    const folder = folderWith({});
    expect((await batharon(folder, ['explain', 'keep'])).stdout).toContain('Values that later steps can use');
    expect((await batharon(folder, ['explain', 'not-as-expected'])).stdout).toContain(
      'An expectation did not hold.',
    );
    expect(await batharon(folder, ['explain', 'kep'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('the nearest is keep'),
    });
    expect((await batharon(folder, ['explain', '--all'])).stdout.split('\n').length).toBeGreaterThan(400);
  });

  test('--version and --help', async () => {
    const folder = folderWith({});
    expect(await batharon(folder, ['--version'])).toMatchObject({ code: 0, stdout: '0.1.0\n' });
    for (const command of ['demo', 'practice', 'check', 'run', 'explain']) {
      expect((await batharon(folder, [command, '--help'])).stdout).toContain(
        `Example:\n  batharon ${command}`,
      );
    }
  });
});
