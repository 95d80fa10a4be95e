// Secrets from everywhere they can come from, and what is locked.
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readProject } from '../../src/core/chain/read-project.ts';
import { ProblemError } from '../../src/core/problems.ts';
import { ProjectSecrets, type SecretWorld } from '../../src/io/secrets.ts';
import { LockedStore } from '../../src/io/locked-store.ts';

const folder = (): string => mkdtempSync(join(tmpdir(), 'batharon-secrets-'));

function secretsOf(at: string, source: string, world: Partial<SecretWorld> = {}): ProjectSecrets {
  const { project, findings } = readProject(
    join(at, 'batharon.yaml'),
    `secrets:\n  desk: ${source}\n`,
    undefined,
    true,
  );
  expect(findings).toEqual([]);
  return new ProjectSecrets(project, { variables: { PATH: process.env.PATH }, ...world });
}

const problemOf = (getting: Promise<string>): Promise<string> =>
  getting.then(
    (value) => `came ${value}`,
    (error: unknown) => {
      const { code, message, instead } = (error as ProblemError).problem;
      return `${code}: ${message} | ${instead ?? ''}`;
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
    ['env KILN_NOT_SET', /the variable KILN_NOT_SET, which is not set \| KILN_NOT_SET=… batharon run/],
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

  test('is sealed for this user: unreadable in its file, the key readable by nobody else', () => {
    const at = folder();
    fc.assert(
      fc.property(fc.string({ minLength: 6, unit: 'grapheme' }), (value) => {
        const locked = new LockedStore(at, variables(at));
        locked.setSecret('desk', value);
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

  test('can’t stand for another secret, be changed, or be opened with another key', () => {
    const at = folder();
    const locked = new LockedStore(at, variables(at));
    locked.setSecret('desk', 'clay-and-water');
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
      expect(() => new LockedStore(at, variables(at)).secret(name)).toThrow('can’t be opened');
    }
    writeFileSync(path, text);
    expect(() => new LockedStore(at, { XDG_CONFIG_HOME: join(at, 'another') }).secret('desk')).toThrow(
      'sealed with another key',
    );
    writeFileSync(path, '{"version":2}');
    expect(() => new LockedStore(at, variables(at)).secret('desk')).toThrow('not one that this version');
  });

  test('is listed by name, and forgotten', () => {
    const at = folder();
    const locked = new LockedStore(at, variables(at));
    locked.setSecret('b', 'secret-b');
    locked.setSecret('a', 'secret-a');
    locked.tokens.set('desk 1', { text: 'token', until: 5 });
    expect([
      locked.names(),
      locked.tokens.get('desk 1'),
      locked.removeSecret('b'),
      locked.removeSecret('b'),
      locked.names(),
    ]).toEqual([['a', 'b'], { text: 'token', until: 5 }, true, false, ['a']]);
    locked.tokens.remove('desk 1');
    expect(locked.tokens.get('desk 1')).toBeUndefined();
  });

  test('says why it can’t be written', () => {
    const at = folder();
    mkdirSync(join(at, '.batharon/locked.json'), { recursive: true });
    expect(() => new LockedStore(at, variables(at)).tokens.set('a', { text: 'b' })).toThrow(
      /not one that this version|can’t be written|EISDIR/,
    );
  });
});
