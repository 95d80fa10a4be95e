// How the built program starts and writes: the compiled code that it keeps, and its two streams.
import { spawn } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { startPractice } from '../../../src/practice/service.ts';
import { PRACTICE_VARIABLES } from '../../../src/practice/state.ts';
import { batharon, folderWith, PRACTICE, NODE } from '../support.ts';

const program = fileURLToPath(new URL('../../../bin/batharon.cjs', import.meta.url));
const CHAIN = { 'one.chain.yaml': 'chain: One\nsteps:\n  - keep: { n: 1 }\nresults: { n: n }\n' };
const CHECKED = '1 file checked, no problems.\n';

/** What is kept for a command: the pieces of the program that it loads, and how much compiled code of them (their text left out). */
function kept(cache: string, command: string): { pieces: string[]; code: number } {
  const [build] = readdirSync(join(cache, 'batharon'));
  const bytes = readFileSync(join(cache, 'batharon', build!, command));
  const end = bytes.indexOf('\n');
  const [text = '', ...pieces] = bytes.toString('latin1', 0, end).split(' ');
  return { pieces, code: bytes.length - end - 1 - Number(text) };
}

describe('compiled code', () => {
  test('is kept for each command from its second run on, and made anew where it is damaged', async () => {
    const folder = folderWith(CHAIN);
    const cache = join(folder, 'cache');
    mkdirSync(cache);
    const check = (): Promise<unknown> =>
      batharon(folder, ['check', 'one.chain.yaml'], { env: { XDG_CACHE_HOME: cache } });
    const passed = { code: 0, stdout: '', stderr: CHECKED };
    expect(await check()).toEqual(passed);
    const first = kept(cache, 'check');
    expect([first.pieces[0], first.code]).toEqual(['main.cjs', 0]);
    expect(await check()).toEqual(passed);
    const second = kept(cache, 'check');
    expect(second.pieces).toEqual(first.pieces);
    expect(second.code).toBeGreaterThan(100_000);
    expect(await check()).toEqual(passed);
    const [build] = readdirSync(join(cache, 'batharon'));
    const file = join(cache, 'batharon', build!, 'check');
    const length = readFileSync(file, 'latin1').indexOf('\n') + 1;
    for (const damaged of [
      '',
      'no list',
      'main.cjs\nno length',
      '0 main.cjs ../../other.cjs\n',
      '0 main.cjs\nno text, and no code',
      '9 main.cjs\nno script, and no code',
      // A disk that was full: the list alone, and text without its code.
      readFileSync(file, 'latin1').slice(0, length),
      readFileSync(file, 'latin1').slice(0, length + 100_000),
    ]) {
      writeFileSync(file, damaged);
      expect([damaged, await check()]).toEqual([damaged, passed]);
    }
    await check();
    await check();
    expect(kept(cache, 'check').code).toBeGreaterThan(100_000);
  });

  test('of a command that loads more than before becomes the code of all of it', async () => {
    const folder = folderWith({ ...CHAIN, 'bad.chain.yaml': 'chain: Bad\nsteps: []\nstep: 1\n' });
    const cache = join(folder, 'cache');
    mkdirSync(cache);
    const explain = (...words: string[]): Promise<{ code: number | null }> =>
      batharon(folder, ['explain', ...words], { env: { XDG_CACHE_HOME: cache } });
    await batharon(folder, ['explain', '--help'], { env: { XDG_CACHE_HOME: cache } });
    const few = kept(cache, 'explain').pieces;
    expect((await explain('keep')).code).toBe(0);
    const { pieces } = kept(cache, 'explain');
    expect([few[0], pieces.slice(0, few.length), pieces.length > few.length]).toEqual([
      'main.cjs',
      few,
      true,
    ]);
    expect((await explain('keep')).code).toBe(0);
    expect(kept(cache, 'explain').code).toBeGreaterThan(50_000);
  });

  test('is neither kept nor read where that is turned off, or where others could write it', async () => {
    const folder = folderWith(CHAIN);
    const cache = join(folder, 'cache');
    mkdirSync(cache);
    const env = { XDG_CACHE_HOME: cache };
    const args = ['check', 'one.chain.yaml'];
    expect((await batharon(folder, args, { env: { ...env, BATHARON_CODE_CACHE: 'off' } })).code).toBe(0);
    expect(readdirSync(cache)).toEqual([]);
    await batharon(folder, args, { env });
    const before = kept(cache, 'check').code;
    chmodSync(join(cache, 'batharon'), 0o777);
    await batharon(folder, args, { env });
    expect([before, kept(cache, 'check').code]).toEqual([0, 0]);
  });
});

describe('what is written', () => {
  /** Runs the program with standard output where it is told to. */
  function to(
    stdout: 'pipe' | number,
    args: readonly string[],
    folder: string,
    closesAt?: number,
  ): Promise<{ code: number | null; stderr: string; size: number }> {
    return new Promise((resolve) => {
      const child = spawn(NODE, [program, ...args], {
        cwd: folder,
        stdio: ['ignore', stdout, 'pipe'],
        env: { PATH: process.env.PATH, HOME: folder },
      });
      let [stderr, size] = ['', 0];
      child.stderr!.on('data', (data: Buffer) => (stderr += data.toString()));
      child.stdout?.on('data', (data: Buffer) => {
        size += data.length;
        if (closesAt !== undefined && size >= closesAt) child.stdout!.destroy();
      });
      child.on('close', (code) => resolve({ code, stderr, size }));
    });
  }

  test('comes whole into a pipe and into a file, however long', async () => {
    const numbers = `[${Array.from({ length: 100_000 }, (_, i) => 1e9 + i).join(',')}]`;
    const folder = folderWith({ 'numbers.json': numbers });
    const args = ['eval', '$', 'numbers.json', '--json'];
    const piped = await batharon(folder, args);
    // Compared as yes or no, since a difference would fill the screen.
    expect(piped.stdout.replace(/\s/g, '') === numbers).toBe(true);
    const file = openSync(join(folder, 'all.txt'), 'w');
    expect(await to(file, args, folder)).toEqual({ code: 0, stderr: '', size: 0 });
    expect(readFileSync(join(folder, 'all.txt'), 'utf8') === piped.stdout).toBe(true);
  });

  test('to a reader that has gone is no failure', async () => {
    const folder = folderWith(CHAIN);
    const { code, stderr } = await to('pipe', ['explain', '--all'], folder, 1);
    expect([code, stderr]).toEqual([0, '']);
  });

  test.each([['--json'], []])(
    'to a reader that has gone does not keep a run from its end: %s',
    async (...args) => {
      const practice = await startPractice({});
      try {
        const folder = folderWith({
          'batharon.yaml': PRACTICE.replace('url: practice', `url: ${practice.url}`),
          'load.chain.yaml': `chain: Load
steps:
  - call: POST kiln /firings
    json: { piece: p1001 }
    keep: { firing: $.id }
    undo:
      - call: DELETE kiln /firings/\${firing}
  - show: loaded
  - wait: 50ms
`,
        });
        const child = spawn(NODE, [program, 'run', ...args], {
          cwd: folder,
          stdio: ['ignore', 'pipe', 'pipe'],
          env: { PATH: process.env.PATH, HOME: folder, ...PRACTICE_VARIABLES },
        });
        // Like `batharon run 2>&1 | head -1`.
        for (const stream of [child.stdout, child.stderr])
          stream.once('data', () => {
            child.stdout.destroy();
            child.stderr.destroy();
          });
        const code = await new Promise((resolve) => child.on('close', resolve));
        const ledger = (await (await fetch(new URL('/ledger', practice.url))).json()) as {
          loaded: { taken_back: boolean }[];
        };
        expect([code, ledger.loaded.map(({ taken_back }) => taken_back)]).toEqual([0, [true]]);
        expect((await batharon(folder, ['history'])).stdout).toMatch(/^passed .* 2 calls/);
      } finally {
        await practice.close();
      }
    },
  );

  test('to a full device is said, and the exit code is 3', async () => {
    if (!existsSync('/dev/full')) return;
    const folder = folderWith(CHAIN);
    const full = openSync('/dev/full', 'w');
    const { code, stderr } = await to(full, ['run', 'one.chain.yaml'], folder);
    expect([code, stderr]).toEqual([3, expect.stringContaining("standard output can't be written: ")]);
    expect(stderr).toContain('passed. 1 of 1 step passed');
  });
});
