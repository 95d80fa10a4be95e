// Finding out afterwards what a run did: history, view, compare, report, resume, in the built program.
import { spawnSync } from 'node:child_process';
import { chmodSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gunzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { batharon, type Finished, folderWith } from '../support.ts';

const SECRET = 'celadon/"ash"-4417';
const ENV = { KILN_KEY: SECRET };

/** A service whose responses a test changes; remembers what was asked of it. */
let responses: (
  request: IncomingMessage,
  body: string,
) => { status?: number; json?: unknown; type?: string; text?: string } | undefined;
let asked: string[] = [];
let server: Server;
let url = '';

beforeAll(async () => {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (data: Buffer) => (body += data.toString()));
    request.on('end', () => {
      asked.push(`${request.method!} ${request.url!}`);
      const reply = responses(request, body);
      if (!reply) return void request.socket.destroy();
      response.writeHead(reply.status ?? 200, { 'content-type': reply.type ?? 'application/json' });
      response.end(reply.text ?? JSON.stringify(reply.json));
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

const project = (): string => `services:
  kiln: { url: "${url}", as: key, headers: { X-Also: "key \${secret.key}" } }
credentials:
  key: { kind: header, name: Kiln-Key, value: "\${secret.key}" }
secrets:
  key: env KILN_KEY
`;

const CHAIN = `chain: Look and load
steps:
  - call: GET kiln /rack
    name: rack
    keep: { pieces: $.pieces }
  - each: piece in pieces
    name: fire
    at-once: 1
    when-one-fails: continue
    steps:
      - call: POST kiln /load/\${piece}
        name: load
        json: { piece: "\${piece}", note: "key \${secret.key}" }
        retry: { attempts: 2, on: [503], wait: 10ms }
        repeatable: yes
        expect: $.loaded == true
results: { pieces: pieces }
`;

/** A kiln that echoes the key, in one response a large one, and fails for the piece b. */
const byDefault: typeof responses = (request, body) => {
  if (request.url === '/rack')
    return {
      json: {
        pieces: ['a', 'b', 'c'],
        rack: { name: 'A3', free: 4 },
        seen: request.headers['kiln-key'],
        long: SECRET.repeat(3000),
      },
    };
  if (request.url === '/load/b') return { status: 503, json: { title: 'Kiln closed', sent: body } };
  return { json: { loaded: true } };
};

const run = (folder: string, ...args: string[]): Promise<Finished> => batharon(folder, args, { env: ENV });

describe('what is recorded', () => {
  let folder = '';
  let ids: string[] = [];
  beforeAll(async () => {
    folder = folderWith({
      'batharon.yaml': project(),
      'a.chain.yaml': CHAIN,
      'b.chain.yaml': CHAIN.replace('Look and load', 'Another'),
    });
    responses = byDefault;
    await run(folder, 'run', 'a.chain.yaml', '--html', 'run.html', '--junit', 'run.xml');
    responses = (request) =>
      request.url === '/rack'
        ? { json: { pieces: ['a', 'b'], rack: { name: 7 }, shelf: [{ id: 'x' }] } }
        : { json: { loaded: true } };
    await run(folder, 'run', 'b.chain.yaml');
    ids = (await run(folder, 'history', '--json')).stdout.match(/(?<="run": ?")\w+/g)!;
  });

  test('history: the latest first, by outcome and by file', async () => {
    const all = await run(folder, 'history');
    expect(all.stdout).toMatch(
      /^passed {2}\w+ [^]*3 calls {2}b\.chain\.yaml {2}Another\nfailed {2}\w+ [^]*5 calls {2}a\.chain\.yaml {2}Look and load\n +at fire\[1\]\.load: /,
    );
    expect((await run(folder, 'history', 'b.chain.yaml')).stdout).not.toContain('Look and load');
    expect((await run(folder, 'history', '--outcome', 'failed')).stdout).not.toContain('Another');
    const wrong = await run(folder, 'history', '--outcome', 'brocken');
    expect([wrong.code, wrong.stderr]).toEqual([2, expect.stringMatching(/brocken[^]*failed/)]);
  });

  test('view: the run, an iteration, a step, one of its attempts; what there is not is said with what there is', async () => {
    const [, first] = ids as [string, string];
    const whole = await run(folder, 'view', first);
    expect(whole.stdout).toMatch(/passed {2}rack +200 +[\d.]+ m?s {2}/);
    expect(whole.stdout).toMatch(/failed {2}fire +2 of 3 iterations passed/);
    expect(whole.stdout).toMatch(/ \[1\] 'b' +failed at load/);
    expect(whole.stdout).toMatch(/batharon view \w+:fire\[1\]\.load/);
    expect((await run(folder, 'view', `${first}:fire[1]`)).stdout).toMatch(
      /attempt 1 +503[^]*attempt 2 +503/,
    );
    const step = await run(folder, 'view', `${first}:fire[1].load`);
    expect(step.stdout).toMatch(/got {5}503 · [\d.]+ m?s/);
    expect(step.stdout).toMatch(/\$\.title +'Kiln closed'/);
    expect(step.stdout).toContain('‹secret key›');
    expect((await run(folder, 'view', `${first}:fire[1].load/attempt-1`)).stdout).toMatch(/503/);
    for (const [where, message] of [
      [`${first}:fire[7]`, 'it has 3 iterations'],
      [`${first}:lod`, 'no step lod'],
      [`${first}:fire[1].load/attempt-9`, 'it has 2 requests'],
      ['zzz', `the last are ${ids.join(', ')}`],
    ] as const) {
      const { code, stderr } = await run(folder, 'view', where);
      expect([where, code, stderr]).toEqual([where, 2, expect.stringContaining(message)]);
    }
  });

  test('compare: outcomes, values, and members that came, went or changed their kind', async () => {
    const [second, first] = ids as [string, string];
    const { code, stdout } = await run(folder, 'compare', first, second);
    expect(code).toBe(1);
    for (const line of [
      /^differs rack$/m,
      /removed +\$\.rack\.free/,
      /removed +\$\.seen/,
      /added +\$\.shelf/,
      /kind +\$\.rack\.name +text, then (?:a )?number/,
      /^differs fire\[\]\.load$/m,
      /outcome +/,
    ])
      expect(stdout).toMatch(line);
    expect((await run(folder, 'compare', second, second)).stdout).toContain('They did the same');
    const steps = await run(folder, 'compare', `${first}:rack`, `${second}:rack`, '--json');
    expect(JSON.parse(steps.stdout)).toMatchObject({ steps: [{ address: 'rack' }] });
    const mixed = await run(folder, 'compare', `${first}:rack`, second);
    expect([mixed.code, mixed.stderr]).toEqual([2, expect.stringContaining('a step with a step')]);
  });

  test('no file below .batharon and no report holds the secret, compressed or not', async () => {
    const [, first] = ids as [string, string];
    await run(
      folder,
      'report',
      first,
      '--html',
      'r.html',
      '--junit',
      'r.xml',
      '--har',
      'r.har',
      '--markdown',
      'r.md',
      '--json',
      'r.json',
    );
    const spellings = [
      SECRET,
      JSON.stringify(SECRET).slice(1, -1),
      encodeURIComponent(SECRET),
      Buffer.from(SECRET).toString('base64'),
      SECRET.replaceAll('"', '&quot;'),
    ];
    const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((entry) =>
      entry.isFile(),
    );
    let packed = 0;
    for (const { name, parentPath } of files) {
      const bytes = readFileSync(join(parentPath, name));
      const texts = [(name.endsWith('.gz') ? gunzipSync(bytes) : bytes).toString()];
      // The page carries its data compressed.
      for (const [, data] of texts[0]!.matchAll(/>\s*(H4sI[A-Za-z0-9+/=]+)\s*</g)) {
        texts.push(gunzipSync(Buffer.from(data!, 'base64')).toString());
        packed++;
      }
      if (name.endsWith('.gz')) packed++;
      for (const text of texts)
        for (const one of spellings) expect([name, text.includes(one)]).toEqual([name, false]);
    }
    expect(packed).toBeGreaterThanOrEqual(3);
    const kinds = readdirSync(folder)
      .filter((name) => /^r(?:un)?\./.test(name))
      .toSorted();
    expect(kinds).toEqual(['r.har', 'r.html', 'r.json', 'r.md', 'r.xml', 'run.html', 'run.xml']);
  });

  test('replay: other expectations are tried on what came; a request that is new stops', async () => {
    const [, first] = ids as [string, string];
    asked = [];
    writeFileSync(
      join(folder, 'c.chain.yaml'),
      CHAIN.replace('expect: $.loaded == true', 'expect: status in [200, 503]'),
    );
    const replayed = await batharon(folder, ['run', 'c.chain.yaml', '--replay', first]);
    expect([replayed.code, replayed.stderr]).toEqual([0, expect.stringContaining('nothing was sent')]);
    writeFileSync(join(folder, 'c.chain.yaml'), CHAIN.replace('kiln /rack', 'kiln /shelf'));
    const other = await batharon(folder, ['run', 'c.chain.yaml', '--replay', first]);
    expect([other.code, other.stderr, asked]).toEqual([3, expect.stringMatching(/\/shelf is new/), []]);
  });
});

const ONCE = `chain: Load once
steps:
  - call: POST kiln /load/a
    name: load
    keep: { job: $.job }
    undo:
      - call: DELETE kiln /load/a
  - call: GET kiln /job/\${job}
    name: look
    expect: $.done == true
results: { job: job }
`;

test('why iterations failed stands wherever they are looked at: each kind once, and what an iteration gathers as well', async () => {
  responses = (request) =>
    request.url === '/load/c'
      ? { status: 404, json: { title: 'No such piece' } }
      : { json: { loaded: false, cone: request.url === '/load/d' ? 'six' : 6 } };
  const folder = folderWith({
    'batharon.yaml': project(),
    'a.chain.yaml': `chain: Load
steps:
  - each: piece in ['a', 'b', 'c']
    name: fire
    at-once: 1
    when-one-fails: continue
    at-least: 0
    steps:
      - call: POST kiln /load/\${piece}
        name: load
        expect: $.loaded == true
  - each: piece in ['a', 'd']
    name: cool
    at-once: 1
    when-one-fails: continue
    steps:
      - call: POST kiln /load/\${piece}
        keep: { cone: $.cone }
    gather: { cones: number(cone) }
`,
  });
  const seen = [
    /^failed {2}fire\[0\]\.load · 'a', and 1 more time\n +problem +expected \$\.loaded == true, got false\n +at +a\.chain\.yaml:11:17$/m,
    /^failed {2}fire\[2\]\.load · 'c'\n +problem +expected status < 400, got 404, "No such piece"$/m,
  ];
  const gathered =
    /^failed {2}cool\n +problem +'six' is not a number, in cool\[1\] 'd'\n +hint +digits[^]*?at +a\.chain\.yaml:19:22$/m;
  const ran = await run(folder, 'run');
  expect(ran.stderr).toMatch(
    /^failed {2}cool +1 of 2 iterations passed · 1 failed .*\n +problem +'six' is not a number, in cool\[1\]/m,
  );
  const whole = (await run(folder, 'view')).stdout;
  for (const one of [...seen, gathered, /\[1\] 'd' +failed at its end/]) expect(whole).toMatch(one);
  const loop = (await run(folder, 'view', 'last:fire')).stdout;
  for (const one of seen) expect(loop).toMatch(one);
  expect(loop).not.toContain('six');
  const iteration = (await run(folder, 'view', 'last:fire[2]')).stdout;
  expect(iteration).toMatch(seen[1]!);
  expect(iteration).not.toContain('fire[0]');
  expect((await run(folder, 'view', 'last:cool')).stdout).toMatch(gathered);
  expect((await run(folder, 'view', 'last:cool[1]')).stdout).toMatch(
    /^failed {2}cool\[1\]\n +problem +'six' is not a number\n/m,
  );
  const none = await run(folder, 'view', 'last:fire[2].lod');
  expect([none.code, none.stderr]).toEqual([2, expect.stringContaining('hint: fire[2].load')]);
  expect((await run(folder, 'report', '--markdown')).stdout).toContain(
    "'six' is not a number, in cool[1] 'd'",
  );
});

describe('going on', () => {
  test('a request whose outcome is not known is asked about; --sent and --not-sent decide', async () => {
    const folder = folderWith({
      'batharon.yaml': project(),
      'a.chain.yaml': ONCE.replace(/ {4}undo:\n.*\n/, ''),
    });
    responses = (request) => (request.method === 'POST' ? undefined : { json: { done: true } });
    asked = [];
    const first = await run(folder, 'run', 'a.chain.yaml');
    expect([first.code, asked]).toEqual([3, ['POST /load/a']]);
    const question = await run(folder, 'resume');
    expect([question.code, question.stderr, asked.length]).toEqual([
      2,
      expect.stringMatching(/unknown load\n +call +POST [^]*--sent load[^]*--not-sent load/),
      1,
    ]);
    // Without what its response would have given, what needs that is not done, and the run has not passed.
    const without = await run(folder, 'resume', 'last', '--sent', 'load');
    expect([without.code, without.stderr, asked.length]).toEqual([
      1,
      expect.stringMatching(/skipped +look .*it needs job/),
      1,
    ]);
    const sent = await run(folder, 'resume', 'last', '--give', 'job=j7');
    expect([sent.code, JSON.parse(sent.stdout), asked.slice(1)]).toEqual([0, { job: 'j7' }, ['GET /job/j7']]);
    await run(folder, 'run', 'a.chain.yaml');
    responses = (request) => ({ json: request.method === 'POST' ? { job: 'j8' } : { done: true } });
    const notSent = await run(folder, 'resume', 'last', '--not-sent');
    expect([notSent.code, JSON.parse(notSent.stdout)]).toEqual([0, { job: 'j8' }]);
  });

  test("what was taken back can't be gone on with, and is named; with --leave it can", async () => {
    const folder = folderWith({ 'batharon.yaml': project(), 'a.chain.yaml': ONCE });
    let done = false;
    responses = (request) => ({ json: request.method === 'POST' ? { job: 'j1' } : { done } });
    expect((await run(folder, 'run', 'a.chain.yaml')).code).toBe(1);
    const refused = await run(folder, 'resume');
    expect([refused.code, refused.stderr]).toEqual([
      2,
      expect.stringMatching(/it has taken back load\)[^]*--leave/),
    ]);
    expect((await run(folder, 'run', 'a.chain.yaml', '--leave')).code).toBe(1);
    done = true;
    asked = [];
    expect((await run(folder, 'resume')).code).toBe(0);
    expect(asked).toEqual(['GET /job/j1', 'DELETE /load/a']);
  });
});

/** Who may write anywhere, such as in a container, needs somebody else for that; he must be able to read the program. */
const NOBODY = { uid: 65534, gid: 65534 };
const program = fileURLToPath(new URL('../../../bin/batharon.cjs', import.meta.url));
const isRunBySomebodyElse =
  process.getuid?.() === 0 && spawnSync(process.execPath, [program, '--version'], NOBODY).status === 0;
if (!isRunBySomebodyElse)
  process.stderr.write(
    'not tested: a folder that may not be written to, since there is no other user to be\n',
  );

(isRunBySomebodyElse ? test : test.skip)(
  'in a folder that may not be written to, a run ends as it would, and says that it is not recorded',
  async () => {
    responses = () => ({ json: { pieces: [], loaded: true } });
    const folder = folderWith({ 'batharon.yaml': project(), 'a.chain.yaml': CHAIN });
    chmodSync(folder, 0o755);
    const { code, stderr, stdout } = await batharon(folder, ['run', 'a.chain.yaml'], {
      env: ENV,
      as: NOBODY,
    });
    expect([code, JSON.parse(stdout)]).toEqual([0, { pieces: [] }]);
    expect(stderr).toMatch(/warning {1,2}this run is not recorded: this user may not write there/);
    expect(readdirSync(folder).toSorted()).toEqual(['a.chain.yaml', 'batharon.yaml']);
  },
);

describe('a run that was resumed', () => {
  const RESUMED = `chain: Resumed
inputs:
  rack: { default: A3 }
  job: { default: j1 }
steps:
  - call: GET kiln /rack/\${rack}
    name: first
  - call: GET kiln /job/\${job}
    name: look
results: { rack: rack, job: job }
`;

  test('is replayed as it ended; how a step was before is said apart; inputs that nothing has used can be given anew', async () => {
    const folder = folderWith({ 'batharon.yaml': project(), 'c.chain.yaml': RESUMED });
    responses = (request) =>
      request.url === '/job/j2'
        ? { json: { ok: true } }
        : request.url!.startsWith('/rack')
          ? { json: [] }
          : { status: 404, json: {} };
    const run = await batharon(folder, ['run'], { env: ENV });
    expect(run.code).toBe(1);
    const used = await batharon(folder, ['resume', '--give', 'rack=B1'], { env: ENV });
    expect([used.code, used.stderr]).toEqual([
      2,
      expect.stringMatching(/first was carried out with the input rack as it was/),
    ]);
    const unused = await batharon(folder, ['resume', '--give', 'job=j2'], { env: ENV });
    expect([unused.code, JSON.parse(unused.stdout)]).toEqual([0, { rack: 'A3', job: 'j2' }]);
    asked = [];
    const replayed = await batharon(folder, ['run', '--replay', 'last']);
    expect([replayed.code, JSON.parse(replayed.stdout), asked]).toEqual([0, { rack: 'A3', job: 'j2' }, []]);
    expect(replayed.stderr).toMatch(/2 of 2 steps passed, 2 calls/);
    const view = await batharon(folder, ['view', 'last:look']);
    expect(view.stdout).toMatch(/before +failed · 1 request/);
    expect(view.stdout).toMatch(/attempt 1, before the run was resumed, of 2 requests/);
  });
});
