// Carries out what CONTRIBUTING.md says of adding one more of each kind, on a copy, and uses the program that comes of it.
import { spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, expect, test } from '@jest/globals';
import { folderWith } from './cli/support.ts';

const root = fileURLToPath(new URL('..', import.meta.url));
const page = readFileSync(join(root, 'CONTRIBUTING.md'), 'utf8');
const EXAMPLE = /<!-- (file|in): (\S+)(?: after: "([^"]+)")? -->\s+```ts\n([\s\S]*?)```/g;
let copy = '';
let work = '';

beforeAll(() => {
  copy = folderWith({});
  for (const name of ['src', 'examples', 'scripts', 'bin', 'package.json', 'tsconfig.json', 'LICENSE'])
    cpSync(join(root, name), join(copy, name), { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'), 'dir');
  for (const [, kind, path, anchor, code] of page.matchAll(EXAMPLE)) {
    const whole = join(copy, path!);
    mkdirSync(dirname(whole), { recursive: true });
    if (kind === 'file') {
      writeFileSync(whole, code!);
      continue;
    }
    const parts = readFileSync(whole, 'utf8').split(anchor!);
    expect([path, parts.length]).toEqual([path, 2]);
    writeFileSync(whole, `${parts[0]!}${anchor!}\n${code!}${parts[1]!}`);
  }
  work = folderWith({
    'batharon.yaml':
      'services: { kiln: { url: practice, as: counter } }\ncredentials: { counter: { kind: stamped, key: "${secret.counter}" } }\nsecrets: { counter: env STAMP }\n',
    'a.chain.yaml':
      'chain: A\nsteps:\n  - keep: { x: negated(21) }\n    ticket: KILN-17\n    expect: x == -21\nresults: { x: x }\n',
    'b.chain.yaml': 'chain: B\nsteps: [ { call: GET kiln /racks } ]\n',
  });
});

function run(...args: string[]): { code: number | null; out: string } {
  const { status, stdout, stderr } = spawnSync(process.execPath, args, {
    cwd: work,
    encoding: 'utf8',
    env: { ...process.env, STAMP: 'celadon-ash-4417' },
  });
  return { code: status, out: stdout + stderr };
}

test('one more function, key, credential kind, importer, report, command and port', () => {
  const types = run(join(root, 'node_modules/typescript/bin/tsc'), '-p', copy, '--types', 'node');
  expect(types.out.split('\n').filter((line) => /^src|\/src\//.test(line))).toEqual([]);
  expect(run(join(copy, 'scripts/build.mjs'))).toMatchObject({ code: 0 });
  const batharon = (...args: string[]) => run(join(copy, 'bin/batharon.cjs'), ...args);
  expect(batharon('explain', 'negated').out).toContain('The number with the other sign.');
  expect(batharon('explain', 'stamped').out).toContain('A key in the header Stamped-Key, with a stamp.');
  expect(batharon('explain', 'ticket').out).toContain('The ticket in which the step was asked for.');
  expect(batharon('check')).toMatchObject({ code: 0 });
  expect(batharon('run', 'a.chain.yaml', '--print', 'x')).toMatchObject({
    code: 0,
    out: expect.stringMatching(/^-21$/m) as unknown,
  });
  expect(readFileSync(join(work, 'bell.txt'), 'utf8')).toBe('passed\n');
  expect(batharon('report', '--outcomes').out).toBe('passed A\n');
  expect(batharon('run', '--help').out).toContain('--outcomes <file>');
  // The practice service knows no such header, but it is sent, with its value masked.
  batharon('run', 'b.chain.yaml');
  expect(batharon('view', 'last:0').out).toContain('Stamped-Key: ');
  expect(batharon('import', 'lines', 'GET https://kiln.example/v1/racks').out).toContain('call: GET');
  expect(batharon('count')).toEqual({ code: 0, out: '1\n' });
});
