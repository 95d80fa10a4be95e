// Watching a chain while it is written: each save is checked, and run again from what has changed.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { Records } from '../../../src/io/record/records.ts';
import { startPractice } from '../../../src/practice/service.ts';
import { PRACTICE_VARIABLES } from '../../../src/practice/state.ts';
import { batharon, folderWith, PRACTICE } from '../support.ts';

const CHAIN = `chain: Watched
inputs:
  rack: { default: A3 }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    keep: { piece: "$.pieces[0].id" }
  - call: POST kiln /firings
    name: load
    json: { piece: "\${piece}" }
    keep: { firing: $.id }
    undo:
      - call: DELETE kiln /firings/\${firing}
  - call: GET kiln /firings/\${firing}
    name: look
    keep: { state: $.status }
results: { state: state }
`;

interface Ledger {
  readonly loaded: readonly { readonly piece: string; readonly taken_back: boolean }[];
  readonly requests: readonly { readonly method: string; readonly path: string }[];
}

/** Watches a chain; each time a pass has ended, or a save was refused, the next edit is saved. */
async function watching(
  folder: string,
  args: readonly string[],
  edits: readonly ((chain: string) => string)[],
) {
  const path = join(folder, 'a.chain.yaml');
  let seen = 0;
  return batharon(folder, ['watch', 'a.chain.yaml', ...args], {
    env: PRACTICE_VARIABLES,
    during: (stderr, kill) => {
      const ended = stderr.match(/ steps? passed, \d+ calls?, |nothing was sent\.$/gm)?.length ?? 0;
      for (; seen < ended; seen++) {
        const edit = edits[seen];
        if (edit) setTimeout(() => writeFileSync(path, edit(readFileSync(path, 'utf8'))), 20);
        else kill();
      }
    },
  });
}

test('begins with the last run, checks each save, and sends only what has changed and changes nothing', async () => {
  const service = await startPractice({ rate: 1e6, burst: 1e6 });
  const ledger = async (): Promise<Ledger> =>
    (await (await fetch(new URL('/ledger', service.url))).json()) as Ledger;
  try {
    const folder = folderWith({
      'batharon.yaml': PRACTICE.replace('url: practice', `url: ${service.url}`),
      'a.chain.yaml': CHAIN,
    });
    const first = await batharon(folder, ['run', 'a.chain.yaml', '--leave'], { env: PRACTICE_VARIABLES });
    expect([first.code, (await ledger()).loaded.length]).toEqual([1, 1]);
    const before = (await ledger()).requests.length;
    const { code, stderr, stdout } = await watching(
      folder,
      [],
      [
        (chain) => chain.replace('$.status', '$.state =='),
        (chain) => chain.replace('$.state ==', '$.state'),
        (chain) => chain.replace('json: { piece: "${piece}" }', 'json: { piece: "${piece}", note: x }'),
        (chain) => chain.replace(', note: x', ''),
      ],
    );
    expect(code).toBe(0);
    expect(stderr).toMatch(/begins with what run \w+ has recorded/);
    // The path that found nothing, an expression that is none, and then the right one.
    expect(stderr).toMatch(/\$\.status found nothing/);
    expect(stderr).toMatch(/1 problem; nothing was sent/);
    expect(stderr).toMatch(/saved {3}a\.chain\.yaml\n {8}from look on/);
    expect(stderr).toMatch(/2 steps passed before/);
    expect(JSON.parse(stdout.slice(0, stdout.indexOf('}') + 1))).toEqual({
      state: expect.stringMatching(/^(?:waiting|heating|soaking|cooling|done)$/),
    });
    // The request that may change something is another one, and then the one that was answered.
    expect(stderr).toMatch(/POST kiln \/firings is not sent: it may change something/);
    expect(stderr).toMatch(/load .*202 .*answered before/);
    const { loaded, requests } = await ledger();
    expect(loaded.length).toBe(1);
    expect(
      requests.slice(before).map(({ method, path }) => `${method} ${path}`.replace(/f\d+$/, 'f')),
    ).toEqual(['POST /v1/token', ...Array<string>(3).fill('GET /v1/firings/f')]);
    // The run that it began with is as it was.
    const records = new Records(folder);
    const [own, base] = [...records.list()];
    // A run of watch is kept apart from those that a person began.
    expect([own, base]).toMatchObject([{ watch: true }, { run: records.find('last') }]);
    const listed = await batharon(folder, ['history']);
    expect(listed.stdout).toMatch(/and 1 run of watch; --watch shows them/);
    expect(listed.stdout).not.toContain(own!.run);
    expect((await batharon(folder, ['history', '--watch'])).stdout).toContain(own!.run);
    expect([own, base]).toMatchObject([{ outcome: 'passed' }, { outcome: 'failed', calls: 3 }]);
  } finally {
    await service.close();
  }
});

test('--send sends what may change something at each save, and takes back before what it had made', async () => {
  const service = await startPractice({ rate: 1e6, burst: 1e6 });
  try {
    const folder = folderWith({
      'batharon.yaml': PRACTICE.replace('url: practice', `url: ${service.url}`),
      'a.chain.yaml': CHAIN.replace('$.status', '$.state'),
    });
    const { stderr } = await watching(
      folder,
      ['--send'],
      [
        (chain) => chain.replace('pieces[0]', 'pieces[1]'),
        (chain) => chain, // the pass that takes back
      ],
    );
    const { loaded } = (await (await fetch(new URL('/ledger', service.url))).json()) as Ledger;
    expect([stderr, loaded.map(({ taken_back }) => taken_back)]).toEqual([stderr, [true, false]]);
    expect(stderr).toMatch(/batharon cleanup/);
  } finally {
    await service.close();
  }
});

test('a project with the practice service begins from the start; other inputs, too', async () => {
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'a.chain.yaml': CHAIN.replace(/ {2}- call: POST[^]*?(?=results)/, '').replace(
      'state: state',
      'piece: piece',
    ),
  });
  const { code, stderr, stdout } = await watching(
    folder,
    [],
    [
      (chain) => chain.replace('default: A3', 'default: A2'),
      (chain) => chain.replace('/racks/${rack}/', '/racks/none/'),
      (chain) => chain.replace('/racks/none/', '/racks/A1/'),
    ],
  );
  expect(code).toBe(0);
  expect(stderr.match(/from the start/g)).toHaveLength(1);
  expect(stderr).toMatch(/from list on/);
  expect(stderr).toMatch(/failed at list/);
  expect(new Set(stdout.match(/p\d+/g)).size).toBe(3);
  const missing = await batharon(folder, ['watch', 'b.chain.yaml']);
  expect([missing.code, missing.stderr]).toEqual([
    2,
    expect.stringContaining('there is no file b.chain.yaml'),
  ]);
});
