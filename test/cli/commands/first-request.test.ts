// The first half of a user's day: from a line of documentation to a step with a stored key and a picked value.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import { KEYS } from '../../../src/practice/state.ts';
import { startPractice } from '../../../src/practice/service.ts';
import { batharon as runProgram, type Finished, folderWith } from '../support.ts';

let practice: Awaited<ReturnType<typeof startPractice>>;
beforeAll(async () => {
  practice = await startPractice({});
});
afterAll(() => practice.close());

/** Runs the program with a configuration folder of the test's own. */
const batharon = (folder: string, args: readonly string[], input = ''): Promise<Finished> =>
  runProgram(folder, args, { input, env: { XDG_CONFIG_HOME: join(folder, 'config') } });

test('a curl line becomes a step with a locked key; it runs; a value is found and picked; nothing was edited', async () => {
  const folder = folderWith({});
  const curl = `curl "${practice.url}/racks/A3/pieces?limit=5" \\\n  -H 'Emberfold-Key: ${KEYS.apiKey}' \\\n  -H 'Accept: application/json'`;
  const added = await batharon(folder, [
    'import',
    'curl',
    curl,
    '--add',
    'rack.chain.yaml',
    '--name',
    'pieces',
  ]);
  expect([added.code, added.stdout]).toEqual([0, '']);
  expect(added.stderr).toContain('added   GET local /racks/A3/pieces to rack.chain.yaml, a new file');
  expect(added.stderr).toContain('the secret local (its key is locked)');
  const files = ['rack.chain.yaml', 'batharon.yaml', '.batharon/locked.json'].map((name) =>
    readFileSync(join(folder, name), 'utf8'),
  );
  expect(files.join()).not.toContain(KEYS.apiKey);
  expect((await batharon(folder, ['secret', 'list'])).stdout).toBe('local  locked  stored\n');

  const tried = await batharon(folder, ['try', 'rack.chain.yaml', 'pieces']);
  expect([tried.code, tried.stderr.includes('passed  pieces')]).toEqual([0, true]);
  expect(tried.stdout).toMatch(/^\$\.rack +'A3'$/m);
  expect(tried.stdout).toMatch(/^\$\.pieces\[0\]\.id +'p1003'$/m);

  const picked = await batharon(folder, [
    'try',
    'rack.chain.yaml',
    'pieces',
    '--keep',
    "teapot=first($.pieces[?@.id == 'p1009']).name",
  ]);
  expect([picked.code, picked.stderr]).toEqual([
    0,
    expect.stringMatching(/added {3}keep teapot: .* to pieces[\s\S]*teapot: teapot 9/),
  ]);
  expect(readFileSync(join(folder, 'rack.chain.yaml'), 'utf8')).toContain(
    "    keep:\n      teapot: first($.pieces[?@.id == 'p1009']).name\n",
  );
  const wrong = await batharon(folder, ['try', 'rack.chain.yaml', 'pieces', '--keep', 'x=$.pieces[']);
  expect([wrong.code, wrong.stderr]).toEqual([2, expect.stringContaining('nothing was written')]);

  const found = await batharon(folder, ['find', 'p1009']);
  expect([found.code, found.stdout]).toEqual([
    0,
    expect.stringMatching(/^pieces {2}GET .*\n {2}\$\.pieces\[1\]\.id +'p1009'\n/),
  ]);
  expect(found.stdout).toContain('in a later step: pieces.body.pieces[1].id');

  const value = await batharon(folder, [
    'eval',
    "first($.pieces[?@.id == 'p1009']).name",
    '--on',
    'last:pieces',
  ]);
  expect([value.code, value.stdout]).toEqual([0, 'teapot 9\n']);
  expect((await batharon(folder, ['eval', 'length(pieces.body.pieces)', '--on', 'last:pieces'])).stdout).toBe(
    '5\n',
  );

  const more = await batharon(folder, [
    'send',
    'GET',
    'local',
    '/pieces/p1009',
    '--add',
    'rack.chain.yaml',
    '--name',
    'piece',
  ]);
  expect(more.code).toBe(0);
  expect((await batharon(folder, ['run', 'rack.chain.yaml'])).code).toBe(0);
  expect((await batharon(folder, ['secret', 'remove', 'local'])).code).toBe(0);
  const stopped = await batharon(folder, ['run', 'rack.chain.yaml']);
  expect([stopped.code, stopped.stderr]).toEqual([2, expect.stringContaining('batharon secret set local')]);
});

test('new and run work in one folder, and what is there is not written over', async () => {
  const folder = folderWith({});
  expect((await batharon(folder, ['new', 'studio'])).code).toBe(0);
  const ran = await batharon(join(folder, 'studio'), ['run']);
  expect([ran.code, JSON.parse(ran.stdout)]).toEqual([0, { first_id: 'p1003' }]);
  expect((await batharon(folder, ['new', 'studio'])).code).toBe(2);
  expect((await batharon(join(folder, 'studio'), ['check'])).stderr).toContain(
    '2 files checked, no problems',
  );
});

/** The record of the only run in a folder. */
function events(folder: string): string {
  const runs = join(folder, '.batharon/runs');
  return readFileSync(join(runs, readdirSync(runs)[0]!, 'events.jsonl'), 'utf8');
}

describe('send', () => {
  const project = (): string =>
    `services:\n  kiln: { url: "${practice.url}", as: key }\ncredentials:\n  key: { kind: header, name: Emberfold-Key, value: "\${secret.key}" }\n  desk: { kind: oauth2, grant: client-credentials, token-url: "${practice.url}/token", client-id: ${KEYS.client}, client-secret: "\${secret.desk}" }\nsecrets: { key: locked, desk: locked }\n`;
  const withKey = async (): Promise<string> => {
    const folder = folderWith({ 'batharon.yaml': project() });
    for (const [name, value] of [
      ['key', KEYS.apiKey],
      ['desk', KEYS.clientSecret],
    ] as const)
      expect((await batharon(folder, ['secret', 'set', name], `${value}\n`)).code).toBe(0);
    return folder;
  };

  test('shows the exchange, the key masked, and the paths of the response; the record holds no key either', async () => {
    const folder = await withKey();
    const { code, stderr, stdout } = await batharon(folder, [
      'send',
      'POST',
      'kiln',
      '/pieces',
      '--as',
      'desk',
      '--json',
      '{ "name": "a \\"b\\" ${x}", "rack": "A1", "cone": 6, "price": 12.50 }',
      '--header',
      'Accept: application/json',
    ]);
    expect([code, stderr]).toEqual([0, expect.stringContaining('"name":"a \\"b\\" ${x}"')]);
    expect(stderr).toContain('authorization: Bearer ‹credential›');
    expect(stdout).toMatch(/^\$\.name +'a "b" \$\{x\}'$/m);
    expect(stdout).toMatch(/^\$\.price +12\.50$/m);
    const record = events(folder);
    expect([record, stderr].map((text) => /ember-desk|Bearer [A-Za-z0-9]/.test(text))).toEqual([
      false,
      false,
    ]);
    expect((await batharon(folder, ['send', 'kiln', '/racks'])).stderr).toContain(
      'Emberfold-Key: ‹secret key›',
    );
  });

  test('with a key in a variable and no project; what is added runs on its own', async () => {
    const folder = folderWith({});
    const url = `${practice.url}/racks`;
    const env = { KILN_KEY: KEYS.personalToken, XDG_CONFIG_HOME: join(folder, 'config') };
    const sent = await runProgram(folder, ['send', '--bearer', 'env', 'KILN_KEY', 'GET', url], { env });
    expect([sent.code, sent.stderr]).toEqual([0, expect.stringContaining('Bearer ‹credential›')]);
    expect(sent.stdout).toContain('$.racks[0]');
    const words = ['send', 'GET', url, '--add', 'racks.chain.yaml', '--bearer', 'env KILN_KEY'];
    // The second time, the project has the credential.
    for (let i = 0; i < 2; i++) expect((await runProgram(folder, words, { env })).code).toBe(0);
    expect(readFileSync(join(folder, 'batharon.yaml'), 'utf8').match(/ env KILN_KEY/g)).toHaveLength(1);
    const ran = await runProgram(folder, ['run', 'racks.chain.yaml'], { env });
    expect([ran.code, ran.stderr]).toEqual([0, expect.stringContaining('2 of 2 steps passed')]);
    for (const { stdout, stderr } of [sent, ran]) expect(stdout + stderr).not.toContain(KEYS.personalToken);
    expect(events(folder)).not.toContain(KEYS.personalToken);
  });

  test.each<[string, string[], number, RegExp]>([
    [
      'a token in the place of where it comes from',
      ['GET', 'kiln', '/x', '--bearer', 'abcdefghijklmnop'],
      2,
      /--bearer takes where the token comes from, not the token \(wrong-form\)\n {4}hint: --bearer env TOKEN/,
    ],
    [
      'a variable without a name',
      ['GET', 'kiln', '/x', '--bearer', 'env'],
      2,
      /--bearer env takes the name of a variable/,
    ],
    [
      'a variable that is not set',
      ['GET', 'https://kiln.invalid/x', '--bearer', 'env', 'EMBER_UNSET'],
      2,
      /the variable EMBER_UNSET, which is not set/,
    ],
    ['two credentials', ['GET', 'kiln', '/x', '--bearer', 'ask', '--as', 'key'], 2, /cannot be used with/],
    ['nothing to send', ['--bearer', 'env', 'KILN_KEY'], 2, /a request is METHOD SERVICE PATH/],
    [
      'a status of 400 or more',
      ['GET', 'kiln', '/pieces/nope'],
      1,
      /got {5}404 .*\n[\s\S]*failed {2}expected status < 400, got 404/,
    ],
    [
      'a service that is not there',
      ['GET', 'klin', '/x'],
      2,
      /no service klin .*\n {4}hint: the nearest is kiln/,
    ],
    [
      'JSON that is none',
      ['POST', 'kiln', '/x', '--json', '{a: 1}'],
      2,
      /--json is no JSON: .*line 1, column 2/,
    ],
    ['a field that is none', ['GET', 'kiln', '/x', '--header', 'abc'], 2, /--header abc is not Name: value/],
    [
      'a host that is not there',
      ['https://nowhere.invalid/x'],
      3,
      /the name nowhere\.invalid can't be found/,
    ],
    ['too many words', ['GET', 'kiln', '/x', 'y'], 2, /a request is METHOD SERVICE PATH/],
    [
      'a key in plain sight',
      ['GET', 'https://kiln.invalid/x', '--header', 'Authorization: Bearer abcdefghijklmnop'],
      3,
      /authorization was typed in[^]*Authorization: ‹secret authorization›/,
    ],
  ])('%s', async (_, words, code, message) => {
    const { stderr, code: came } = await batharon(await withKey(), ['send', ...words]);
    expect([came, stderr]).toEqual([code, expect.stringMatching(message)]);
    expect(stderr).not.toContain('abcdefghijklmnop');
  });

  test('a key that is missing stops it before anything is sent', async () => {
    const { code, stderr } = await batharon(folderWith({ 'batharon.yaml': project() }), [
      'send',
      'GET',
      'kiln',
      '/racks',
    ]);
    expect([code, stderr]).toEqual([2, expect.stringContaining('batharon secret set key')]);
    expect(stderr).not.toContain('sent    ');
  });
});

describe('import', () => {
  test('prints what goes where; a key is not printed', async () => {
    const { code, stdout, stderr } = await batharon(
      folderWith({}),
      ['import', 'curl'],
      'curl -u anna:clay-and-water-31 https://api.emberfold.example/v1/office --retry 3\n',
    );
    expect([code, stdout]).toEqual([
      0,
      '# the chain file\nsteps:\n  - call: GET emberfold /office\n\n# batharon.yaml\nservices:\n  emberfold:\n    url: https://api.emberfold.example/v1\n    as: emberfold\ncredentials:\n  emberfold:\n    kind: basic\n    user: anna\n    password: ${secret.emberfold}\nsecrets:\n  emberfold: locked\n',
    ]);
    expect(stderr).toContain('not carried over: --retry 3');
    expect(stdout + stderr).not.toContain('clay-and-water');
  });

  test.each<[string, string[], RegExp]>([
    [
      'a form that is not known',
      ['import', 'soap', 'x'],
      /soap can't be imported .*\n {4}hint: batharon import curl \| fetch \| http/,
    ],
    ['an open quote', ['import', 'curl', "curl 'x"], /the quote that begins .* is not closed/],
    [
      'a file to add to that is no chain',
      ['import', 'curl', 'curl https://kiln.example', '--add', 'x.yaml'],
      /no chain file: its name ends in \.chain\.yaml/,
    ],
    ['no file', ['import', 'fetch', 'nowhere.js'], /there is no file nowhere\.js/],
  ])('%s', async (_, words, message) => {
    const folder = folderWith({});
    const { code, stderr } = await batharon(folder, words);
    expect([code, stderr, existsSync(join(folder, 'batharon.yaml'))]).toEqual([
      2,
      expect.stringMatching(message),
      false,
    ]);
  });
});

describe('eval, find and try', () => {
  test.each<[string[], string, number, RegExp | string]>([
    [['$.a[*]'], '{"a":[1,2.50,"x"]}', 0, "$['a'][0]  1\n$['a'][1]  2.50\n$['a'][2]  'x'\n"],
    [['$.a[0] + 1', '-'], '{"a":[9007199256740999]}', 0, '9007199256741000\n'],
    [['$', '--json'], '{"a": 1.0}', 0, '{\n  "a": 1.0\n}\n'],
    [['$.b'], '{"a":1}', 1, /\$\.b found nothing: \$ has the members a/],
    [['$.b[*]'], '{"a":1}', 1, /\$\.b\[\*\] found nothing: \$ has the members a/],
    [['$.a +'], '{"a":1}', 2, /nothing follows \+.*\n {4}\$\.a \+\n {8}\^/],
    [['$.a < "b"'], '{"a":1}', 1, /kinds-differ|compare/],
    [['$.a'], '{"a":', 2, /standard input: not JSON/],
    [['$.a', 'nowhere.json'], '', 2, /there is no file nowhere\.json/],
    [['$.a', '--on', 'last:x'], '', 2, /no run is recorded here yet/],
    [["xpath($, '//a')"], '<x><a>1</a><a>2</a></x>', 0, /"1",\s+"2"/],
  ])('eval %j', async (words, input, code, output) => {
    const { code: came, stdout, stderr } = await batharon(folderWith({}), ['eval', ...words], input);
    expect([came, stdout + stderr]).toEqual([
      code,
      typeof output === 'string' ? output : expect.stringMatching(output),
    ]);
  });

  test('try takes what it needs from the last run, and else carries the steps before it out', async () => {
    const folder = folderWith({});
    await batharon(folder, ['new', '.']);
    const first = await batharon(folder, ['try', 'first.chain.yaml', 'piece']);
    expect([first.code, first.stderr]).toEqual([
      0,
      expect.stringMatching(/passed {2}rack_pieces[\s\S]*passed {2}piece/),
    ]);
    const second = await batharon(folder, ['try', 'first.chain.yaml', 'piece']);
    expect([second.code, second.stderr]).toEqual([
      0,
      expect.stringMatching(/^uses first_id from run \w+, \d+ s ago/),
    ]);
    expect(second.stderr).not.toContain('rack_pieces');
    expect((await batharon(folder, ['try', 'first.chain.yaml', 'pece'])).stderr).toMatch(
      /no step pece .*\n {4}hint: piece/,
    );
    expect((await batharon(folder, ['find', 'moon boots'])).stderr).toContain(
      'occurs in none of the 3 recorded responses',
    );
  });
});

test('sign-in says for what and until when; sign-out forgets', async () => {
  const project = `services:\n  kiln: { url: "${practice.url}", as: desk }\ncredentials:\n  desk: { kind: oauth2, grant: client-credentials, token-url: "${practice.url}/token", client-id: ${KEYS.client}, client-secret: "\${secret.desk}", scope: "firings:write" }\n  key: { kind: bearer, token: "\${secret.desk}" }\n  tried: { kind: bearer, token: "\${secret.desk}", test: GET kiln /racks }\nsecrets: { desk: locked }\n`;
  const folder = folderWith({ 'batharon.yaml': project });
  await batharon(folder, ['secret', 'set', 'desk'], KEYS.clientSecret);
  const signed = await batharon(folder, ['sign-in']);
  expect([signed.code, signed.stderr]).toEqual([
    0,
    expect.stringMatching(/passed {2,4}signed in as desk.*, until 20\d\d-\d\d-\d\dT[\d:]+Z\.\n/),
  ]);
  expect((await batharon(folder, ['sign-in', 'key'])).stderr).toContain(
    'key is of kind bearer: it goes with each request. Its secrets are there; no request was sent with it. test: GET SERVICE /path',
  );
  expect(await batharon(folder, ['sign-in', 'tried'])).toMatchObject({
    code: 3,
    stderr: expect.stringMatching(
      /GET kiln \/racks[^]*401[^]*did not accept the credential tried/,
    ) as unknown,
  });
  expect((await batharon(folder, ['sign-out', 'desk'])).code).toBe(0);
  await batharon(folder, ['secret', 'set', 'desk'], 'wrong-secret');
  expect(await batharon(folder, ['sign-in', 'desk'])).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/refused the credential desk with 401/) as unknown,
  });
  expect((await batharon(folder, ['sign-in', 'dsk'])).stderr).toContain('hint: desk');
});

test('certificates that the environment adds are trusted', async () => {
  const made = await generate([{ name: 'commonName', value: 'kiln' }], {
    keySize: 2048,
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip: '127.0.0.1' }] }],
  });
  const server = createServer({ key: made.private, cert: made.cert }, (_, response) => response.end('x'));
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `https://127.0.0.1:${(server.address() as AddressInfo).port}/a`;
  const folder = folderWith({ 'ca.pem': made.cert });
  const without = await runProgram(folder, ['send', url]);
  expect([without.code, without.stderr]).toEqual([
    3,
    expect.stringContaining('is signed by nobody but itself'),
  ]);
  const trusting = await runProgram(folder, ['send', url], {
    env: { NODE_EXTRA_CA_CERTS: join(folder, 'ca.pem') },
  });
  expect([trusting.code, trusting.stdout]).toEqual([0, 'x\n']);
  server.close();
});

test('a picture that lies elsewhere is fetched without the credential, and saved', async () => {
  const folder = folderWith({});
  await batharon(folder, ['new', '.']);
  const added = await batharon(folder, ['send', 'GET', 'kiln', '/pieces/p1001/photo']);
  expect([added.code, added.stderr]).toEqual([
    0,
    expect.stringMatching(
      /redirected to http:\/\/localhost:\d+\/pictures\/p1001\.png, the credential removed/,
    ),
  ]);
});
