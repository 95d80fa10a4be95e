// Completion in the shells themselves, each with the script that the built program prints for it, by the key that people press.
import { spawn, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from '@jest/globals';
import { batharon, folderWith, NODE } from '../support.ts';

const program = fileURLToPath(new URL('../../../bin/batharon.cjs', import.meta.url));
const PROJECT = `services: { kiln: { url: practice } }
credentials: { desk: { kind: bearer, token: "\${secret.desk}" }, counter: { kind: bearer, token: "\${secret.desk}" } }
secrets: { desk: env KILN_DESK }
environments: { stage: { guard: ask }, live: { guard: reads-only } }
`;
const CHAIN = `chain: Racks
tags: [nightly]
steps:
  - call: GET kiln /racks
    name: racks
  - name: later
    wait: 1ms
`;
const HOSTILE = 'x$(touch harm).chain.yaml';

let folder = '';
let env: NodeJS.ProcessEnv = {};
beforeAll(async () => {
  folder = folderWith({
    'batharon.yaml': PROJECT,
    'racks.chain.yaml': CHAIN,
    'sub/glazes.chain.yaml': 'chain: Glazes\nsteps: [{ wait: 1ms }]\n',
    [HOSTILE]: 'chain: X\nsteps: [{ wait: 1ms }]\n',
    'plain.chain.yaml': 'chain: P\nsteps: [{ wait: 1ms, name: rest }]\n',
  });
  mkdirSync(join(folder, 'bin'));
  writeFileSync(join(folder, 'bin/batharon'), `#!/bin/sh\nexec "${NODE}" "${program}" "$@"\n`);
  chmodSync(join(folder, 'bin/batharon'), 0o755);
  env = {
    PATH: `${join(folder, 'bin')}:${process.env.PATH}`,
    HOME: folder,
    TERM: 'dumb',
    XDG_CACHE_HOME: join(folder, 'cache'),
  };
  mkdirSync(join(folder, 'cache'));
  expect((await batharon(folder, ['run', 'plain.chain.yaml', '--env', 'stage'], { env })).code).toBe(0);
});

/** What the program says could complete a line. */
async function words(line: string): Promise<string[]> {
  const { code, stdout, stderr } = await batharon(folder, ['completion', '--line', line], { env });
  expect([code, stderr]).toEqual([0, '']);
  return stdout.split('\n').flatMap((one) => (one === '' ? [] : [one.split('\t')[0]!]));
}

describe('what could complete a line', () => {
  test.each<[string, string[]]>([
    ['batharon che', ['check']],
    ['batharon sec', ['secret']],
    ['batharon secret s', ['set']],
    ['batharon run ra', ['racks.chain.yaml']],
    ['batharon run sub/', ['sub/glazes.chain.yaml']],
    ['batharon run --env ', ['stage', 'live']],
    ['batharon run --env=l', ['--env=live']],
    ['batharon run --tag ', ['nightly']],
    ['batharon run --dr', ['--dry']],
    ['batharon run --dry --dr', []],
    ['batharon sign-in ', ['desk', 'counter']],
    ['batharon send GET kiln /a --as d', ['desk']],
    ['batharon secret remove ', ['desk']],
    ['batharon try racks.chain.yaml ', ['racks', 'later']],
    ['batharon view last:', ['last:rest']],
    ['batharon view la', ['last']],
    ['batharon import ', ['curl', 'fetch', 'http', 'openapi', 'arazzo', 'har']],
    ['batharon schema ', ['chain', 'project']],
    ['batharon explain idempotency-', []],
    ['batharon none ', []],
    ["batharon run 'ra", ['racks.chain.yaml']],
    ['', []],
  ])('%j', async (line, expected) => {
    expect(await words(line)).toEqual(expected);
  });

  test('new goes on where the schemas can not be written, and follows no link', async () => {
    const [inside, outside] = [folderWith({}), folderWith({})];
    symlinkSync(outside, join(inside, '.batharon'));
    const { code, stderr } = await batharon(inside, ['new'], { env });
    expect([code, readdirSync(outside)]).toEqual([0, []]);
    expect(stderr).toMatch(/^warning the schemas can't be written: .* is a link/m);
    expect(stderr).toContain('Wrote batharon.yaml');
  });

  test('is nothing where the project can not be read, and never a secret', async () => {
    const broken = folderWith({ 'batharon.yaml': 'services: [', 'a.chain.yaml': CHAIN });
    const line = await batharon(broken, ['completion', '--line', 'batharon sign-in '], { env });
    expect(line).toEqual({ code: 0, stdout: '', stderr: '' });
    const all = await Promise.all(
      ['secret remove ', 'sign-in ', 'run --'].map((one) => words(`batharon ${one}`)),
    );
    expect(JSON.stringify(all)).not.toContain('KILN_DESK');
  });
});

function has(shell: string): boolean {
  const found = spawnSync('sh', ['-c', `command -v ${shell}`]).status === 0;
  if (!found) process.stderr.write(`\nSKIPPED: ${shell} is not installed, so its completion is not tried\n`);
  return found;
}

/** Types into a shell at a terminal; returns what it then printed. `script` is the program that makes a terminal. */
function typed(command: string, keys: readonly string[]): Promise<string> {
  return new Promise((resolve) => {
    const child = spawn('script', ['-qfec', command, '/dev/null'], { cwd: folder, env });
    let shown = '';
    child.stdout.on('data', (data: Buffer) => (shown += data.toString()));
    let wait: NodeJS.Timeout | undefined;
    child.on('close', () => {
      clearInterval(wait);
      resolve(shown);
    });
    const next = (i: number): void => {
      if (i === keys.length) return void child.stdin.end();
      child.stdin.write(keys[i]!);
      // A shell answers a key when it has read all before it; each waits until nothing more comes.
      let seen = -1;
      wait = setInterval(() => {
        if (shown.length === seen) {
          clearInterval(wait);
          next(i + 1);
        }
        seen = shown.length;
      }, 700);
    };
    next(0);
  });
}

const bash = has('bash') && has('script') ? test : test.skip;
const zsh = has('zsh') && has('script') ? test : test.skip;
const fish = has('fish') ? test : test.skip;

describe('in the shell', () => {
  bash('bash: a command, a file, a step after a colon, and a name that would be carried out', async () => {
    const shown = await typed('bash --norc --noprofile -i', [
      'eval "$(batharon completion bash)"\n',
      'batharon che\tplai\t\n',
      'batharon view last:re\t | head -1\n',
      'batharon check x\t\n',
      'exit\n',
    ]);
    expect(shown).toContain('batharon check plain.chain.yaml');
    expect(shown.match(/2 files checked, no problems/g)?.length).toBe(2);
    expect(shown).toContain('last:rest');
    expect(existsSync(join(folder, 'harm'))).toBe(false);
  });

  zsh('zsh: the same', async () => {
    const shown = await typed('zsh -f -i', [
      'autoload -U compinit && compinit -u\n',
      'eval "$(batharon completion zsh)"\n',
      'batharon che\tplai\t\n',
      'batharon view last:re\t | head -1\n',
      'batharon check x\t\n',
      'exit\n',
    ]);
    expect(shown.match(/2 files checked, no problems/g)?.length).toBe(2);
    expect(shown).toContain('last:rest');
    expect(existsSync(join(folder, 'harm'))).toBe(false);
  });

  fish('fish: the same', () => {
    const complete = (line: string): string[] => {
      const { stdout, stderr } = spawnSync(
        'fish',
        ['--no-config', '-c', `batharon completion fish | source; complete -C "${line}"`],
        { cwd: folder, env, encoding: 'utf8' },
      );
      expect(stderr).toBe('');
      return stdout.split('\n').flatMap((one) => (one === '' ? [] : [one.split('\t')[0]!]));
    };
    expect(complete('batharon che')).toEqual(['check']);
    expect(complete('batharon run pla')).toContain('plain.chain.yaml');
    expect(complete('batharon view last:re')).toEqual(['last:rest']);
  });
});
