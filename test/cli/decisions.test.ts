// What is not known of several requests is decided on for each by itself; ids go on when the clock goes back; every key of a line is locked.
import { readdirSync, utimesSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { Records } from '../../src/io/record/records.ts';
import { importCurl } from '../../src/import/curl.ts';
import { finished, toStep } from '../../src/import/to-step.ts';
import { NO_PROJECT } from '../../src/core/chain/read/read-project.ts';
import { batharon, folderWith } from './support.ts';

let url = '';
const posts: string[] = [];
const server = createServer((request, response) => {
  if (request.method !== 'POST') return void response.end('{}');
  posts.push(request.url!);
  // Nobody knows what became of it.
  request.socket.destroy();
});
beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

test('iterations whose requests may have been processed: each gets what it gave, and one value does not stand for all', async () => {
  const folder = folderWith({
    'a.chain.yaml': `chain: A
steps:
  - each: x in [1, 2, 3]
    name: load
    when-one-fails: continue
    steps:
      - call: POST ${url}/things/\${x}
        name: thing
        keep: { id: $.id }
    gather: { ids: id }
results: { ids: ids }
`,
  });
  expect((await batharon(folder, ['run'])).code).toBe(3);
  const asked = await batharon(folder, ['resume']);
  expect([asked.code, asked.stderr]).toEqual([
    2,
    expect.stringMatching(/load\[0\]\.thing[^]*load\[2\]\.thing[^]*--give 'load\[0\]\.thing\.NAME=…'/),
  ]);
  const one = await batharon(folder, ['resume', '--sent', '--give', 'id=t1']);
  expect([one.code, one.stderr]).toEqual([
    2,
    expect.stringMatching(/3 requests were processed[^]*--give 'load\[0\]\.thing\.id=…'/),
  ]);
  const some = await batharon(folder, ['resume', '--sent', 'load[0]', '--give', 'load[0].id=t1']);
  expect([some.code, some.stderr]).toEqual([2, expect.stringMatching(/^unknown +load\[1\]/m)]);
  const all = await batharon(folder, [
    'resume',
    '--sent',
    '--give',
    'load[0].id=t1',
    '--give',
    'load[1].thing.id=t2',
    '--give',
    'load[2].id=t3',
  ]);
  expect([all.code, JSON.parse(all.stdout)]).toEqual([0, { ids: ['t1', 't2', 't3'] }]);
  expect(posts).toEqual(['/things/1', '/things/2', '/things/3']);
}, 60_000);

test('ids go by a sequence that does not run backwards, whatever the clock says', async () => {
  const folder = folderWith({});
  const records = new Records(folder);
  const warn = (why: string): void => {
    throw new Error(why);
  };
  const now = Date.now;
  const ids: string[] = [];
  try {
    for (const time of ['2026-11-28', '2026-11-27', '2020-01-01', '1969-12-31', '2026-11-28T00:00:01']) {
      Date.now = () => Date.parse(time);
      const { id, writer } = records.begin(warn);
      ids.push(id);
      await writer.close();
    }
  } finally {
    Date.now = now;
  }
  expect(ids.map((id) => /^[0-9a-z]{6,8}$/.test(id))).toEqual(ids.map(() => true));
  expect([...ids].sort((a, b) => a.length - b.length || (a < b ? -1 : 1))).toEqual(ids);
  expect(new Set(ids).size).toBe(5);
});

test('only records are taken away, and only what a record consists of', () => {
  const folder = folderWith({
    '.batharon/.made-by-batharon': '',
    '.batharon/runs/4qogg7/events.jsonl': '',
    '.batharon/runs/4qogg8/events.jsonl': '',
    '.batharon/runs/4qogg8/notes.txt': 'mine',
    '.batharon/runs/notes/a.txt': 'mine',
    '.batharon/runs/file.txt': 'mine',
  });
  const runs = join(folder, '.batharon/runs');
  const old = new Date(Date.now() - 72 * 3_600_000);
  for (const name of readdirSync(runs)) utimesSync(join(runs, name), old, old);
  new Records(folder).prune(undefined);
  expect(readdirSync(runs).sort()).toEqual(['4qogg8', 'file.txt', 'notes']);
});

test.each([
  ["-H 'Cookie: session=Kabcdef123456; lang=en'", /Cookie: session=\$\{secret\.session_secret\}; lang=en/],
  ['-F token=Kabcdef123456 -F api_key=Kabcdef123456', /api_key: \$\{secret\.api_key\}/],
  [
    "-H 'X-Api-Key: Zabcdef123456' -H 'X-Auth-Token: Kabcdef123456'",
    /X-Auth-Token: \$\{secret\.x_auth_token\}/,
  ],
  [
    "-H 'X-Api-Key: Zabcdef123456' -G -d access_token=Kabcdef123456",
    /access_token: \$\{secret\.access_token\}/,
  ],
])('curl %s: each key of it is a secret', (words, line) => {
  const draft = toStep(importCurl(`curl ${words} https://api.kiln.example/x`), NO_PROJECT);
  const step = finished(draft.step).join('\n');
  expect(step).toMatch(line);
  expect(step).not.toContain('Kabcdef123456');
  expect([...draft.secrets.values()].map(({ value }) => value)).toContain('Kabcdef123456');
});

test('check finds columns that a file of rows does not have, and files of TLS that are not there', async () => {
  const folder = folderWith({
    'batharon.yaml':
      'services:\n  kiln: { url: "https://kiln.example", tls: { ca: ca.pem } }\nrecords: { runs: 0 }\n',
    'out.csv': '"piece ""a""",cone\n1,2\n',
    'a.chain.yaml':
      'chain: A\nsteps:\n  - call: GET kiln /x\n    write: { to: out.csv, row: { cone: 6, con: 7 } }\n  - call: GET kiln /y\n    write: { to: new.csv, row: { any: 6 } }\n',
  });
  const { code, stdout, stderr } = await batharon(folder, ['check']);
  const said = stdout + stderr;
  expect(code).toBe(2);
  expect(said).toMatch(/out\.csv has no column con \(row-not-fitting\)[\s\S]*hint: cone/);
  expect(said).toMatch(/batharon\.yaml:2:\d+: the file ca\.pem does not exist/);
  expect(said).toMatch(/runs must be a number of at least 1/);
  expect(said).toMatch(/3 problems/);
});
