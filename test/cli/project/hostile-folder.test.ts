// A folder that came from elsewhere: whatever lies in it, no command is run, nothing outside is written, read out or deleted, and nothing hangs.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { batharon, folderWith } from '../support.ts';

let url = '';
const seen: string[] = [];
const server = createServer((request, response) => {
  let body = '';
  request.on('data', (chunk: Buffer) => (body += chunk.toString()));
  request.on('end', () => {
    seen.push(`${request.method!} ${request.url!} ${JSON.stringify(request.headers)} ${body}`);
    response.setHeader('content-type', 'application/json');
    response.end('{"a": 1}');
  });
});
beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

const CHAIN = (): string => `chain: A\nsteps:\n  - call: GET ${url}/x\n`;
const ACROSS = [
  'check',
  'view',
  'history',
  'find a',
  'eval $.a',
  'report --json',
  'run --dry',
  'explain keep',
];

/** A home with things that matter, long untouched. */
function home(): string {
  const at = mkdtempSync(join(tmpdir(), 'batharon-home-'));
  for (const [path, text] of [
    ['Documents/a.txt', 'a'],
    ['.ssh/id', 'a key that nobody may have'],
    ['4qogg7/bodies/x', 'not a record'],
  ] as const) {
    mkdirSync(dirname(join(at, path)), { recursive: true });
    writeFileSync(join(at, path), text);
  }
  const old = new Date(Date.now() - 72 * 3_600_000);
  for (const name of readdirSync(at)) utimesSync(join(at, name), old, old);
  return at;
}

/** What lies below a folder, with what it holds. */
function state(folder: string): string {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map(({ name, parentPath }) => {
      const path = join(parentPath, name);
      return `${path} ${createHash('sha256').update(readFileSync(path)).digest('hex')}`;
    })
    .sort()
    .join('\n');
}

const EVENT = (more: object): string => `${JSON.stringify({ at: 1, ...more })}\n`;
const BEGAN = EVENT({
  event: 'run-began',
  version: 1,
  run: '4qogg7',
  chain: 'A',
  file: 'a.chain.yaml',
  inputs: {},
  steps: 1,
});
const record = (digest: string): string =>
  BEGAN +
  EVENT({
    event: 'step-began',
    step: 's',
    type: 'call',
    title: 's',
    hash: 'x',
    place: { file: 'a', line: 1, column: 1 },
  }) +
  EVENT({
    event: 'request-sent',
    step: 's',
    attempt: 1,
    method: 'GET',
    url: 'http://a/',
    written: 'a',
    headers: [],
  }) +
  EVENT({
    event: 'response-received',
    step: 's',
    attempt: 1,
    status: 200,
    headers: [['content-type', 'text/plain']],
    body: { size: 9, digest, type: 'text/plain', text: 'beginning', cut: true },
    phases: {},
    elapsed: 1,
  });

/** Each folder, made beside a home that it may try to reach. */
const FOLDERS: Readonly<Record<string, (folder: string, outside: string) => void>> = {
  'records are a link to the home': (folder, outside) => {
    mkdirSync(join(folder, '.batharon'));
    symlinkSync(outside, join(folder, '.batharon/runs'));
  },
  'the own folder is a link to the home': (folder, outside) =>
    symlinkSync(outside, join(folder, '.batharon')),
  'one record is a link to the home': (folder, outside) => {
    mkdirSync(join(folder, '.batharon/runs'), { recursive: true });
    writeFileSync(join(folder, '.batharon/.made-by-batharon'), '');
    symlinkSync(outside, join(folder, '.batharon/runs/4qogg8'));
  },
  'bodies of an old record are a link to the home': (folder, outside) => {
    mkdirSync(join(folder, '.batharon/runs/4qogg8'), { recursive: true });
    writeFileSync(join(folder, '.batharon/.made-by-batharon'), '');
    symlinkSync(outside, join(folder, '.batharon/runs/4qogg8/bodies'));
  },
  'a record names a file of the home as a body': (folder, outside) => {
    mkdirSync(join(folder, '.batharon/runs/4qogg7/bodies'), { recursive: true });
    writeFileSync(
      join(folder, '.batharon/runs/4qogg7/events.jsonl'),
      record(`../../../../../..${outside}/.ssh/id`),
    );
  },
  'a body of a record is a link to a file of the home': (folder, outside) => {
    const bodies = join(folder, '.batharon/runs/4qogg7/bodies');
    mkdirSync(bodies, { recursive: true });
    symlinkSync(join(outside, '.ssh/id'), join(bodies, 'a'.repeat(64)));
    writeFileSync(join(folder, '.batharon/runs/4qogg7/events.jsonl'), record('a'.repeat(64)));
  },
  'the events of a record are a pipe': (folder) => {
    mkdirSync(join(folder, '.batharon/runs/4qogg7'), { recursive: true });
    execFileSync('mkfifo', [join(folder, '.batharon/runs/4qogg7/events.jsonl')]);
  },
  'the events of a record are huge': (folder) => {
    mkdirSync(join(folder, '.batharon/runs/4qogg7'), { recursive: true });
    const path = join(folder, '.batharon/runs/4qogg7/events.jsonl');
    writeFileSync(path, BEGAN);
    truncateSync(path, 50 * 1024 ** 3);
  },
  'the events of a record are a folder': (folder) =>
    void mkdirSync(join(folder, '.batharon/runs/4qogg7/events.jsonl'), { recursive: true }),
  'the events of a record are nonsense': (folder) => {
    mkdirSync(join(folder, '.batharon/runs/4qogg7'), { recursive: true });
    writeFileSync(
      join(folder, '.batharon/runs/4qogg7/events.jsonl'),
      `${BEGAN}{"event":"step-ended"}\n\u0000\n[]\n`,
    );
  },
  'the project file is a pipe': (folder) => void execFileSync('mkfifo', [join(folder, 'batharon.yaml')]),
  'the project file is a folder': (folder) => mkdirSync(join(folder, 'batharon.yaml')),
  'the project file is huge': (folder) => {
    writeFileSync(join(folder, 'batharon.yaml'), 'zone: UTC\n');
    truncateSync(join(folder, 'batharon.yaml'), 20 * 1024 ** 3);
  },
  'the chain file is a pipe': (folder) => {
    execFileSync('rm', [join(folder, 'a.chain.yaml')]);
    execFileSync('mkfifo', [join(folder, 'a.chain.yaml')]);
  },
  'a secret is what a command prints': (folder) =>
    writeFileSync(
      join(folder, 'batharon.yaml'),
      `services: { s: { url: "${url}", headers: { K: "\${secret.k}" } } }\nsecrets: { k: command touch ran }\n`,
    ),
  'a secret is a file of the home': (folder, outside) =>
    writeFileSync(
      join(folder, 'batharon.yaml'),
      `services: { s: { url: "${url}", headers: { K: "\${secret.k}" } } }\nsecrets: { k: file ${outside}/.ssh/id }\n`,
    ),
  'a secret is a link to a file of the home': (folder, outside) => {
    symlinkSync(join(outside, '.ssh/id'), join(folder, 'key'));
    writeFileSync(
      join(folder, 'batharon.yaml'),
      `services: { s: { url: "${url}", headers: { K: "\${secret.k}" } } }\nsecrets: { k: file key }\n`,
    );
  },
  'a body is a link to a file of the home': (folder, outside) => {
    symlinkSync(join(outside, '.ssh/id'), join(folder, 'key'));
    writeFileSync(join(folder, 'a.chain.yaml'), `chain: A\nsteps:\n  - call: POST ${url}/x\n    file: key\n`);
  },
  'a response is saved through a link to the home': (folder, outside) => {
    symlinkSync(outside, join(folder, 'out'));
    writeFileSync(
      join(folder, 'a.chain.yaml'),
      `chain: A\nsteps:\n  - call: GET ${url}/x\n    save: out/.ssh/id\n`,
    );
  },
  'rows are written through a link to the home': (folder, outside) => {
    symlinkSync(join(outside, 'Documents/a.txt'), join(folder, 'rows.csv'));
    writeFileSync(
      join(folder, 'a.chain.yaml'),
      `chain: A\nsteps:\n  - call: GET ${url}/x\n    write: { to: rows.csv, row: { a: b } }\n`,
    );
  },
  'the file of locked secrets is a link to the home': (folder, outside) => {
    mkdirSync(join(folder, '.batharon'));
    symlinkSync(join(outside, 'Documents/a.txt'), join(folder, '.batharon/locked.json'));
    writeFileSync(
      join(folder, 'batharon.yaml'),
      `services: { s: { url: "${url}", headers: { K: "\${secret.k}" } } }\nsecrets: { k: locked }\n`,
    );
  },
};

describe('a folder from elsewhere', () => {
  test.each(Object.keys(FOLDERS))(
    '%s',
    async (name) => {
      const outside = home();
      const chain =
        name.startsWith('a secret is') || name.startsWith('the file of locked')
          ? CHAIN().replace(`${url}/x`, 's /x')
          : CHAIN();
      const folder = folderWith({ 'a.chain.yaml': chain });
      FOLDERS[name]!(folder, outside);
      const before = state(outside);
      const began = Date.now();
      const sent = seen.length;
      const commands =
        existsSync(join(folder, 'key')) || name.startsWith('a secret')
          ? ['check', 'run --dry', `send GET ${name.startsWith('a secret') ? 's /x' : url}`]
          : ACROSS;
      const told: string[] = [];
      const carryOut = async (command: string): Promise<void> => {
        const { code, stderr, stdout } = await batharon(folder, command.split(' '), {
          env: { HOME: join(outside, '..', 'nowhere-at-all'), XDG_CONFIG_HOME: join(folder, 'config') },
        });
        told.push(stdout, stderr);
        // 4 is a defect of the program.
        expect([command, code, stderr]).not.toEqual([command, 4, stderr]);
        expect([command, code]).not.toEqual([command, null]);
      };
      await carryOut('run');
      await Promise.all(commands.map(carryOut));
      expect(told.join('\n')).not.toContain('a key that nobody may have');
      expect(seen.slice(sent).join('\n')).not.toContain('a key that nobody may have');
      expect(state(outside)).toBe(before);
      expect(existsSync(join(folder, 'ran'))).toBe(false);
      expect(Date.now() - began).toBeLessThan(30_000);
    },
    60_000,
  );
});

describe('trust', () => {
  const project = (): string =>
    `services: { s: { url: "${url}", headers: { K: "\${secret.k}" } } }\nsecrets: { k: command ./key.sh }\n`;
  const folder = (): string => {
    const at = folderWith({
      'batharon.yaml': project(),
      'a.chain.yaml': 'chain: A\nsteps:\n  - call: GET s /x\n',
      'key.sh': '#!/bin/sh\ntouch ran\necho a-key-0123456789\n',
    });
    execFileSync('chmod', ['+x', join(at, 'key.sh')]);
    return at;
  };

  test('a command of a project file is run once somebody has agreed, and its lines are named before', async () => {
    const at = folder();
    const refused = await batharon(at, ['run']);
    expect([refused.code, refused.stderr]).toEqual([
      2,
      expect.stringMatching(/k: command \.\/key\.sh[^]*--trust/),
    ]);
    expect(existsSync(join(at, 'ran'))).toBe(false);
    for (const [args, env] of [
      [['run', '--trust'], {}],
      [['run'], { BATHARON_TRUST: '1' }],
      [['send', 'GET', 's', '/x', '--trust'], {}],
    ] as const)
      expect((await batharon(at, args, { env })).code).toBe(0);
  });

  test('what reads only, runs nothing', async () => {
    const at = folder();
    await batharon(at, ['run', '--trust']);
    execFileSync('rm', [join(at, 'ran')]);
    for (const command of [
      'check',
      'view',
      'history',
      'find a',
      'eval $.a',
      'explain keep',
      'report --json',
      'run --dry',
      'secret list',
    ])
      await batharon(at, command.split(' '));
    expect(existsSync(join(at, 'ran'))).toBe(false);
  });

  const root = process.getuid?.() === 0 ? test : test.skip;
  root('a project file that other users may write is not taken', async () => {
    const at = folderWith({
      'batharon.yaml': `services: { s: { url: "${url}" } }\n`,
      'a.chain.yaml': 'chain: A\nsteps:\n  - call: GET s /x\n',
    });
    expect((await batharon(at, ['run'])).code).toBe(0);
    execFileSync('chown', ['65534', join(at, 'batharon.yaml')]);
    expect((await batharon(at, ['run'])).stderr).toContain('belongs to another user');
    expect((await batharon(at, ['run', '--trust'])).code).toBe(0);
    execFileSync('chown', ['0', join(at, 'batharon.yaml')]);
    execFileSync('chmod', ['777', at]);
    expect((await batharon(at, ['run'])).stderr).toContain('every user of this machine may write');
    expect((await batharon(at, ['check'])).code).toBe(0);
  });

  test("a home that can't be written ends no run", async () => {
    const at = folderWith({
      file: '',
      'a.chain.yaml': `chain: A\nsteps:\n  - call: POST ${url}/x\n    keep: { a: hidden(text) }\n`,
    });
    const ran = await batharon(at, ['run'], { env: { HOME: join(at, 'file'), XDG_CONFIG_HOME: '' } });
    expect([ran.code, ran.stderr.match(/kept in memory only/g)?.length]).toEqual([0, 1]);
    expect(statSync(join(at, '.batharon/runs')).isDirectory()).toBe(true);
  });
});
