// What the pages say of commands, files and exit codes, shown by the built program against a service of the test's own.
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect } from '@jest/globals';
import { batharon, folderWith } from '../cli/support.ts';
import { claim } from './support.ts';

let asked: string[] = [];
let server: Server;
let url = '';
beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(`${request.method!} ${request.url!}`);
    const status = Number(/status\/(\d+)/.exec(request.url!)?.[1] ?? 200);
    response.writeHead(status, { 'content-type': 'application/json' });
    response.end(JSON.stringify({ ok: status < 400, items: [1, 2] }));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

/** A folder with some chains, by the lines of their steps. */
function folderOf(chains: Readonly<Record<string, string>>, project = ''): string {
  asked = [];
  return folderWith({
    'batharon.yaml': `services:\n  s: { url: "${url}" }\n${project}`,
    ...Object.fromEntries(
      Object.entries(chains).map(([name, lines]) => [`${name}.chain.yaml`, `chain: ${name}\n${lines}`]),
    ),
  });
}

const guide = 'docs/guide.md';
claim(
  'docs/credentials/README.md',
  'A secret that is missing stops a run before anything is sent, also where several chains are run.',
  async () => {
    const folder = folderOf(
      { a: 'steps:\n  - call: POST s /a\n', b: 'steps:\n  - call: GET s /b\n    as: key\n' },
      'credentials:\n  key: { kind: bearer, token: "${secret.key}" }\nsecrets: { key: env NOT_SET_HERE }\n',
    );
    expect([(await batharon(folder, ['run'])).code, asked]).toEqual([2, []]);
  },
);

const language = 'docs/language.md';
claim(language, 'Names are kept only from a step whose expectations passed so far.', async () => {
  const folder = folderOf({
    a: 'steps:\n  - call: GET s /a\n    keep: { n: length($.items) }\n    expect: n == 3\n    on-fail: continue\n  - call: POST s /b?n=${n}\n',
  });
  const { stderr } = await batharon(folder, ['run']);
  expect([asked, stderr]).toEqual([['GET /a'], expect.stringMatching(/skipped .*it needs n/)]);
});
claim(language, '0 takes it as the response', async () => {
  const folder = folderOf({
    a: 'steps:\n  - call: GET s /status/302\n    redirects: 0\n    expect: status == 302\n',
  });
  expect((await batharon(folder, ['run'])).code).toBe(0);
});
claim(
  language,
  'the file has its name only when the expectations of the step hold, and what had that name before stays until then',
  async () => {
    const folder = folderOf({
      a: 'steps:\n  - call: GET s /a\n    save: out.json\n    expect: status == 500\n',
    });
    writeFileSync(join(folder, 'out.json'), 'as it was');
    expect((await batharon(folder, ['run'])).code).toBe(1);
    expect([
      readFileSync(join(folder, 'out.json'), 'utf8'),
      readdirSync(folder).filter((name) => /part|tmp/.test(name)),
    ]).toEqual(['as it was', []]);
  },
);
claim(language, '`headers: { Accept: null }` sends no such field at all', async () => {
  const folder = folderOf({
    a: 'steps:\n  - call: GET s /a\n    name: a\n    headers: { Accept: null }\n',
  });
  const { stdout } = await batharon(folder, ['run', '--json']);
  expect(stdout).toContain('"request-sent"');
  expect(/"headers":(\[\[.*?\]\])/.exec(stdout)![1]).not.toMatch(/"accept"/i);
});

const finding = 'docs/finding-out.md';
claim(finding, 'Steps that passed and have not changed are not sent again', async () => {
  const chain = (n: number): string =>
    `chain: A\nsteps:\n  - call: POST s /a\n    name: a\n  - call: GET s /b\n    expect: length($.items) == ${n}\n`;
  const folder = folderOf({});
  writeFileSync(join(folder, 'a.chain.yaml'), chain(3));
  expect((await batharon(folder, ['run'])).code).toBe(1);
  writeFileSync(join(folder, 'a.chain.yaml'), chain(2));
  asked = [];
  expect([(await batharon(folder, ['resume'])).code, asked]).toEqual([0, ['GET /b']]);
});
claim(finding, "A run that has undone or cleaned up what it made can't be resumed", async () => {
  const folder = folderOf({
    a: 'steps:\n  - call: POST s /a\n    undo:\n      - call: DELETE s /a\n  - call: GET s /status/404\n',
  });
  await batharon(folder, ['run']);
  expect(asked).toEqual(['POST /a', 'GET /status/404', 'DELETE /a']);
  const { code, stderr } = await batharon(folder, ['resume']);
  expect([code, stderr]).toEqual([2, expect.stringContaining('cannot-resume')]);
});
claim(finding, 'waits take no time, and nothing is sent', async () => {
  const folder = folderOf({ a: 'steps:\n  - call: GET s /a\n  - wait: 1s\n' });
  await batharon(folder, ['run']);
  asked = [];
  const { code, stderr } = await batharon(folder, ['run', '--replay', 'last']);
  expect([code, asked, stderr]).toEqual([0, [], expect.stringContaining('nothing was sent')]);
});

claim('docs/build-server.md', '`--stop-early` starts no further chain once one has failed.', async () => {
  const folder = folderOf({ a: 'steps:\n  - call: GET s /status/500\n', b: 'steps:\n  - call: GET s /b\n' });
  expect([(await batharon(folder, ['run', '--stop-early'])).code, asked]).toEqual([1, ['GET /status/500']]);
});
claim('docs/build-server.md', '`--shard 1/4` takes the first of four shares of the chains', async () => {
  const folder = folderOf(
    Object.fromEntries(['a', 'b', 'c', 'd', 'e'].map((name) => [name, `steps:\n  - call: GET s /${name}\n`])),
  );
  for (const share of ['1/2', '2/2']) await batharon(folder, ['run', '--shard', share]);
  expect(asked.toSorted()).toEqual(['a', 'b', 'c', 'd', 'e'].map((name) => `GET /${name}`));
});

claim('docs/security.md', 'In a pipe and a file data are as they came.', async () => {
  const folder = folderOf({ a: 'steps:\n  - call: GET s /a\nresults: { x: "\'\\\\u001b[31m\'" }\n' });
  const { stdout } = await batharon(folder, ['run', '--print', 'x']);
  expect(stdout).toBe('\u001b[31m\n');
});
claim('docs/security.md', 'run no command and read no secret', async () => {
  const folder = folderOf(
    { a: 'steps:\n  - call: GET s /a\n    headers: { X: "${secret.key}" }\n' },
    'secrets: { key: command touch was-run }\n',
  );
  for (const args of [['check'], ['run', '--dry'], ['history'], ['explain', 'each'], ['secret', 'list']]) {
    await batharon(folder, args);
    expect([args, existsSync(join(folder, 'was-run'))]).toEqual([args, false]);
  }
});

claim('docs/record.md', 'Events are written at most 30 ms after they happened.', async () => {
  const folder = folderOf({ a: 'steps:\n  - call: GET s /a\n  - wait: 2s\n' });
  let told = '';
  await batharon(folder, ['run'], {
    during: (stderr, kill) => {
      if (!stderr.includes('GET s /a') || told !== '') return;
      told = ' ';
      setTimeout(() => {
        const runs = join(folder, '.batharon/runs');
        told = readFileSync(
          join(
            runs,
            readdirSync(runs).find((name) => name.length === 6)!,
            'events.jsonl',
          ),
          'utf8',
        );
        kill('SIGKILL');
      }, 200);
    },
  });
  expect(told).toContain('"response-received"');
});
claim(guide, 'nothing was sent', async () => {
  const folder = folderOf({ a: 'steps:\n  - call: GET s /a\n  - call: GET s /${nmae}\n' });
  expect([(await batharon(folder, ['run'])).code, asked]).toEqual([2, []]);
});
