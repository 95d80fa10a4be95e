// Secrets from everywhere they can come from, and what is locked.
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readProject } from '../../../src/core/chain/read/read-project.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { ProjectSecrets, type SecretWorld } from '../../../src/io/secrets/secrets.ts';
import { LockedStore } from '../../../src/io/secrets/locked-store.ts';

const folder = (): string => mkdtempSync(join(tmpdir(), 'batharon-secrets-'));

function secretsOf(at: string, source: string, world: Partial<SecretWorld> = {}): ProjectSecrets {
  const { project, findings } = readProject(
    join(at, 'batharon.yaml'),
    `secrets:\n  desk: ${source}\n`,
    undefined,
    true,
  );
  expect(findings).toEqual([]);
  return new ProjectSecrets(project, {
    variables: { PATH: process.env.PATH, BATHARON_TRUST: '1' },
    ...world,
  });
}

const problemOf = (getting: Promise<string>): Promise<string> =>
  getting.then(
    (value) => `came ${value}`,
    (error: unknown) => {
      const { code, message, hint } = (error as ProblemError).problem;
      return `${code}: ${message} | ${hint ?? ''}`;
    },
  );

describe('a secret', () => {
  test('of a command, without a shell; its words are kept together by quotes', async () => {
    const at = folder();
    expect(
      await secretsOf(at, `command node -e "console.log('clay; echo ' + process.cwd().length)"`).get('desk'),
    ).toBe(`clay; echo ${at.length}`);
  });

  test.each([
    [
      'command nowhere-to-be-found a b',
      /^secret-missing: the secret desk comes from the command nowhere-to-be-found, which does not exist/,
    ],
    ["command node -e 'console.error(4711); process.exit(3)'", /which ended with 3: 4711/],
    ["command node -e ''", /which printed nothing/],
    ['env KILN_NOT_SET', /the variable KILN_NOT_SET, which is not set \| export KILN_NOT_SET=…/],
    ['file nowhere.txt', /nowhere\.txt, which does not exist/],
    ['ask', /is to be typed in, and there is no terminal to ask at/],
    ['locked', /is locked, and none is stored under the name desk \| batharon secret set desk/],
    ['locked other', /under the name other/],
  ])('%s', async (source, message) => {
    expect(await problemOf(secretsOf(folder(), source).get('desk'))).toMatch(message);
  });

  test('that is asked for is asked for once, with the question of the file', async () => {
    const asked: string[] = [];
    const secrets = secretsOf(folder(), 'ask the word of the day', {
      ask: async (question) => {
        asked.push(question);
        return 'moon jar';
      },
    });
    expect(await Promise.all([secrets.get('desk'), secrets.get('desk')])).toEqual(['moon jar', 'moon jar']);
    expect(asked).toEqual(['the word of the day ']);
  });

  (process.platform === 'win32' ? test.skip : test)(
    'in a file that others can read is warned of',
    async () => {
      const at = folder();
      writeFileSync(join(at, 'desk.txt'), 'moon jar\n');
      for (const [mode, warnings] of [
        [0o644, 1],
        [0o600, 0],
      ] as const) {
        chmodSync(join(at, 'desk.txt'), mode);
        const warned: string[] = [];
        expect(
          await secretsOf(at, 'file desk.txt', { warn: (message) => warned.push(message) }).get('desk'),
        ).toBe('moon jar');
        expect(warned.length).toBe(warnings);
      }
    },
  );
});

describe('what is locked', () => {
  const variables = (at: string): NodeJS.ProcessEnv => ({ XDG_CONFIG_HOME: join(at, 'config') });

  test('is sealed for this user: unreadable in its file, the key readable by nobody else', async () => {
    const at = folder();
    await fc.assert(
      fc.asyncProperty(fc.string({ minLength: 6, unit: 'grapheme' }), async (value) => {
        const locked = new LockedStore(at, variables(at));
        await locked.setSecret('desk', value);
        expect(new LockedStore(at, variables(at)).secret('desk')).toBe(value);
        const file = readFileSync(join(at, '.batharon/locked.json'), 'utf8');
        expect(file.includes(value) || file.includes(Buffer.from(value).toString('base64'))).toBe(false);
      }),
      { numRuns: 30 },
    );
    expect(readFileSync(join(at, '.batharon/.gitignore'), 'utf8')).toBe('*\n');
    if (process.platform !== 'win32')
      expect(
        [join(at, 'config/batharon/key'), join(at, '.batharon/locked.json')].map(
          (path) => statSync(path).mode & 0o777,
        ),
      ).toEqual([0o600, 0o600]);
  });

  test("can't stand for another secret, be changed, or be opened with another key", async () => {
    const at = folder();
    const locked = new LockedStore(at, variables(at));
    await locked.setSecret('desk', 'clay-and-water');
    const path = join(at, '.batharon/locked.json');
    const text = readFileSync(path, 'utf8');
    const sealed = (JSON.parse(text) as { secrets: { desk: string } }).secrets.desk;
    const tampered = Buffer.from(sealed, 'base64');
    tampered[14]! ^= 1;
    for (const wrong of [
      text.replace('"desk"', '"office"'),
      text.replace(sealed, tampered.toString('base64')),
    ]) {
      writeFileSync(path, wrong);
      const name = wrong.includes('office') ? 'office' : 'desk';
      expect(() => new LockedStore(at, variables(at)).secret(name)).toThrow("can't be opened");
    }
    writeFileSync(path, text);
    expect(() => new LockedStore(at, { XDG_CONFIG_HOME: join(at, 'another') }).secret('desk')).toThrow(
      'sealed with another key',
    );
    writeFileSync(path, '{"version":2}');
    expect(() => new LockedStore(at, variables(at)).secret('desk')).toThrow('not one that this version');
  });

  test('is listed by name, and forgotten', async () => {
    const at = folder();
    const locked = new LockedStore(at, variables(at));
    await locked.setSecret('b', 'secret-b');
    await locked.setSecret('a', 'secret-a');
    await locked.tokens.set('desk 1', { text: 'token', until: 5 });
    expect([
      locked.stored().map(({ name }) => name),
      locked.tokens.get('desk 1'),
      await locked.removeSecret('b'),
      await locked.removeSecret('b'),
      locked.stored().map(({ name }) => name),
    ]).toEqual([['a', 'b'], { text: 'token', until: 5 }, true, false, ['a']]);
    await locked.tokens.remove('desk 1');
    expect(locked.tokens.get('desk 1')).toBeUndefined();
  });

  test("a secret can't be set where the file is none; a token is kept in memory then, and that is said", async () => {
    const at = folder();
    mkdirSync(join(at, '.batharon/locked.json'), { recursive: true });
    const said: string[] = [];
    const locked = new LockedStore(at, variables(at), (message) => said.push(message));
    await expect(locked.setSecret('a', 'secret-a')).rejects.toThrow(
      /not one that this version|can't be written|EISDIR/,
    );
    await locked.tokens.set('a', { text: 'b' });
    expect([locked.tokens.get('a'), said.length]).toEqual([{ text: 'b' }, 1]);
  });

  test("with a home that can't be written keys are kept in memory, said once; a secret is refused, with what to do", async () => {
    const at = folder();
    writeFileSync(join(at, 'file'), '');
    const said: string[] = [];
    const home = { XDG_CONFIG_HOME: join(at, 'file/below') };
    const locked = new LockedStore(at, home, (message) => said.push(message));
    expect(locked.open(locked.seal('a value'))).toBe('a value');
    await locked.tokens.set('a', { text: 'b' });
    expect(locked.tokens.get('a')).toEqual({ text: 'b' });
    expect(said[0]).toContain('kept in memory only');
    await expect(locked.setSecret('a', 'secret-a')).rejects.toMatchObject({
      problem: { hint: expect.stringContaining('XDG_CONFIG_HOME=') as unknown },
    });
  });

  test('changes of several processes at once are all kept', async () => {
    const at = folder();
    await Promise.all(
      Array.from({ length: 12 }, (_, i) =>
        new LockedStore(at, variables(at)).setSecret(`s${i}`, `secret-${i}`),
      ),
    );
    expect(new LockedStore(at, variables(at)).stored()).toHaveLength(12);
    expect(new LockedStore(at, variables(at)).secret('s7')).toBe('secret-7');
  });

  test('of several that renew a token one does, and the others take it', async () => {
    const at = folder();
    let renewed = 0;
    const renew = (store: LockedStore): Promise<string> =>
      store.tokens.alone('desk', async () => {
        const kept = await store.tokens.get('desk');
        if (kept) return kept.text;
        renewed++;
        await new Promise((resolve) => setTimeout(resolve, 30));
        await store.tokens.set('desk', { text: `token ${renewed}` });
        return `token ${renewed}`;
      });
    const tokens = await Promise.all(
      Array.from({ length: 4 }, () => renew(new LockedStore(at, variables(at)))),
    );
    expect([renewed, new Set(tokens).size]).toEqual([1, 1]);
  });
});
