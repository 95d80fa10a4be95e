import { expect, test } from '@jest/globals';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';

const SECRETS = 'secrets: { redis: env KILN_REDIS, team: env KILN_TEAM }\n';
const read = (team: string) => readProject('batharon.yaml', `${SECRETS}team:\n${team}`, undefined, true);

test('a team has an address and a key out of secrets, and a lease', () => {
  const { project, findings } = read(
    '  redis: redis://:${secret.redis}@kiln.example:6379\n  key: ${secret.team}\n  lease: 30s\n  without: go-on\n',
  );
  expect(findings).toEqual([]);
  expect(project.team).toMatchObject({
    lease: 30_000,
    without: 'go-on',
    secrets: new Set(['redis', 'team']),
  });
  expect(read('  redis: redis://127.0.0.1\n  key: ${secret.team}\n').project.team).toMatchObject({
    lease: 15_000,
    without: 'stop',
  });
});

test.each<[string, string, string]>([
  [
    'a key in plain sight',
    '  redis: ${secret.redis}\n  key: glaze-7Qx2mLw9-of-all\n',
    'secret-in-plain-text',
  ],
  [
    'a password in plain sight',
    '  redis: redis://:ember-4Tq8@kiln.example\n  key: ${secret.team}\n',
    'secret-in-plain-text',
  ],
  ['no key', '  redis: ${secret.redis}\n', 'missing-key'],
  ['a lease that is none', '  redis: ${secret.redis}\n  key: ${secret.team}\n  lease: 1s\n', 'wrong-form'],
  ['a word that is none', '  redis: ${secret.redis}\n  key: ${secret.team}\n  without: wait\n', 'wrong-form'],
])('%s is found', (_, team, code) => {
  const { findings } = read(team);
  expect(findings.map((one) => one.code)).toContain(code);
  expect(JSON.stringify(findings)).not.toMatch(/glaze-7Qx2mLw9|ember-4Tq8/);
});
