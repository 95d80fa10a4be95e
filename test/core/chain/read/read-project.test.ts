import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { shown } from '../support.ts';

describe('project files', () => {
  const check = (text: string, environment?: string): string[] =>
    readProject('batharon.yaml', text, environment, true).findings.map(shown);

  test('what the project says is no secret is not taken for one, unless it has the shape of one', () => {
    const project = (never: string) =>
      readProject(
        'batharon.yaml',
        `services: { kiln: { url: https://kiln.example } }\nmask: { never: [${never}] }\nvalues: { secret_key: abc123def456 }\n`,
        undefined,
        true,
      );
    const chain = (never: string) =>
      readChain(
        'a.chain.yaml',
        'chain: A\nsteps:\n  - call: POST kiln /a\n    json: { routing_key: q8Zr2LwX0pTn5VbK7s, api-key: Bearer abcdefgh12345678 }\n',
        project(never).project,
      );
    expect(project('').findings.map(({ code }) => code)).toEqual(['secret-in-plain-text']);
    expect(project('secretKey').findings).toEqual([]);
    expect(chain('').findings.map(({ level }) => level)).toEqual(['warning', 'problem']);
    expect(chain('routingKey, api_key').findings.map(shown)).toEqual([
      expect.stringContaining('secret-in-plain-text: a credential stands readable under api-key'),
    ]);
  });

  test.each<[string, string, string]>([
    [
      'an unknown kind',
      'credentials:\n  a: { kind: baerer, token: x }\n',
      '2:14 wrong-form: there is no credential of kind baerer | the nearest is bearer',
    ],
    [
      'a missing key',
      'credentials:\n  a: { kind: basic, user: anna }\n',
      '2:6 missing-key: a credential of kind basic has no password',
    ],
    [
      'a readable password',
      'credentials:\n  a: { kind: basic, user: anna, password: clay }\n',
      '2:43 secret-in-plain-text: the password of a is in the file in plain text',
    ],
    [
      'a secret without a source',
      'secrets:\n  a: hunter2hunter2\n',
      '2:6 secret-in-plain-text: the secret a does not say where it comes from',
    ],
    [
      'no URL',
      'services:\n  a: { url: kiln.example }\n',
      "2:13 not-a-url: 'kiln.example' is not the URL of a service",
    ],
    [
      'a password in a URL',
      'services:\n  a: { url: "https://u:p@kiln.example" }\n',
      '2:13 secret-in-plain-text',
    ],
    [
      'plain http',
      'services:\n  a: { url: "http://kiln.example", as: b }\ncredentials:\n  b: { kind: bearer, token: "${secret.b}" }\nsecrets: { b: env B }\n',
      '2:13 plain-http: a credential would be sent over plain HTTP to kiln.example',
    ],
    ['no such zone', 'zone: Europe/Lisbo\n', "1:7 unknown-zone: unknown time zone 'Europe/Lisbo'"],
    [
      'no choice',
      'environments:\n  a: {}\n  b: {}\n',
      '2:3 environment-needed: the project has several environments (a, b) but no default',
    ],
    [
      'an override of nothing',
      'environments:\n  a: { servces.x.url: y }\n',
      "2:8 unknown-key: an environment can't set servces.x.url | the nearest is services",
    ],
    [
      'an override of a service that there is none of',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services.flims.url: "https://stage.example" }\n',
      '4:12 unknown-key: the project has no service flims that an environment could change | the nearest is films',
    ],
    [
      'a nested one',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services: { flims: { url: "https://stage.example" } } }\n',
      '4:24 unknown-key: the project has no service flims',
    ],
    [
      'of a key that services have not',
      'services:\n  films: { url: "https://a.example" }\nenvironments:\n  stage: { services.films.ulr: "https://stage.example" }\n',
      '4:27 unknown-key: a service has no key ulr | the nearest is url',
    ],
    [
      'of a secret',
      'environments:\n  stage: { secrets.desk: env X }\n',
      '2:12 unknown-key: the project has no secret desk that an environment could change',
    ],
    [
      'a guard that is none',
      'guard: reads\n',
      '1:8 wrong-form: guard must be one of none, ask, reads-only, but this is',
    ],
    [
      'a secret that moves along',
      'services:\n  a: { url: "https://test.example", as: b }\ncredentials:\n  b: { kind: bearer, token: "${secret.b}" }\nsecrets: { b: env B }\nenvironments:\n  live: { services.a.url: "https://live.example" }\n',
      '7:3 warning secret-moved: the environment live moves a from https://test.example to https://live.example and sends it the same secret b',
    ],
  ])('%s', (_, text, expected) => {
    expect(check(text).join('\n')).toContain(expected);
  });

  test('a map that an environment sets is merged into what is there', () => {
    const text = `services:
  films: { url: "https://live.example", as: desk, pace: 2 per second }
  stock: { url: "https://stock.example" }
credentials:
  desk: { kind: basic, user: anna, password: "\${secret.desk}" }
secrets: { desk: env A }
environments:
  stage:
    services: { films: { url: "https://stage.example" } }
    credentials.desk: { kind: bearer, token: "\${secret.desk}" }
    secrets.desk: env B
    guard: ask
  other:
    services.films: { url: "https://other.example" }
`;
    const { project: stage, findings } = readProject('batharon.yaml', text, 'stage', true);
    const films = stage.services.get('films')!;
    expect([findings, films.url, films.as, films.pace?.rate, [...stage.services.keys()]]).toEqual([
      [],
      expect.objectContaining({ parts: ['https://stage.example'] }),
      'desk',
      { count: 2, period: 1000 },
      ['films', 'stock'],
    ]);
    expect([stage.credentials.get('desk')!.kind, stage.guard]).toEqual(['bearer', 'ask']);
    const other = readProject('batharon.yaml', text, 'other', true).project;
    expect([other.services.get('films')!.as, other.guard]).toEqual(['desk', 'none']);
  });

  test('an environment overrides by dotted keys', () => {
    const text =
      'services:\n  a: { url: "https://test.example" }\nvalues: { studio: north }\nenvironments:\n  live:\n    services.a.url: https://live.example\n    values.studio: 9007199254740993\n  other: {}\ndefault-environment: other\n';
    const { project: live } = readProject('batharon.yaml', text, 'live', true);
    expect(live.environment).toBe('live');
    expect(live.services.get('a')!.url).toMatchObject({ parts: ['https://live.example'] });
    expect(readProject('batharon.yaml', text, undefined, true).project.environment).toBe('other');
    expect(check(text, 'liv')[0]).toContain(
      'unknown-environment: the project has no environment liv | the nearest is live',
    );
  });
});

test('a pace that would send nothing', () => {
  for (const [pace, message] of [
    ['0 per second', 'a pace of 0 would send nothing'],
    ['{ at-once: 0 }', 'at-once is at least 1'],
    ['10 a second', 'pace must be a number per second, minute, hour or day'],
    ['{ budget: 10 per week }', 'budget must be a number per hour or day'],
  ]) {
    const text = `services:\n  kiln:\n    url: https://kiln.example\n    pace: ${pace!}\n`;
    const { findings: found } = readProject('batharon.yaml', text, undefined, true);
    expect(found.map((one) => one.message).join()).toContain(message);
  }
});
