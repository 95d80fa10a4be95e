// Recordings of a client of the practice service become chains that pass against a fresh one. `npm run prove` makes 200.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT, readProject } from '../../src/core/chain/read/read-project.ts';
import { run } from '../../src/core/engine/run/run.ts';
import type { RunEvent } from '../../src/core/events.ts';
import type { Draft } from '../../src/import/draft.ts';
import { importHar } from '../../src/import/har/from-har.ts';
import { finished } from '../../src/import/to-step.ts';
import { HttpTransport } from '../../src/io/http/http.ts';
import { machinePorts } from '../../src/io/machine-ports.ts';
import { seeded } from '../../src/practice/seeded-random.ts';
import { startPractice } from '../../src/practice/service.ts';
import { KEYS } from '../../src/practice/state.ts';

const folder = mkdtempSync(join(tmpdir(), 'batharon-har-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const FREE = { rate: 100_000, burst: 100_000, speed: 100 };

interface Entry {
  readonly request: object;
  readonly response: object;
}

/** A client that notes what it sends and gets, as a browser would. */
class Recorder {
  readonly entries: Entry[] = [];
  readonly #origin: string;

  constructor(url: string) {
    this.#origin = new URL(url).origin;
  }

  async ask(
    method: string,
    path: string,
    headers: Record<string, string> = {},
    body?: string,
  ): Promise<Record<string, unknown>> {
    const url = this.#origin + path;
    const response = await fetch(url, {
      method,
      headers,
      redirect: 'manual',
      ...(body === undefined ? {} : { body }),
    });
    const bytes = Buffer.from(await response.arrayBuffer());
    const type = response.headers.get('content-type') ?? '';
    const isText = /json|text|xml|csv/.test(type);
    const list = (from: Iterable<readonly [string, string]>) =>
      [...from].map(([name, value]) => ({ name, value }));
    this.entries.push({
      request: {
        method,
        url,
        headers: list([
          ['Host', new URL(url).host],
          ['User-Agent', 'Mozilla/5.0 (a browser)'],
          ['Sec-Fetch-Mode', 'cors'],
          ['Accept-Language', 'en'],
          ...Object.entries(headers),
        ]),
        ...(body === undefined ? {} : { postData: { mimeType: headers['content-type'], text: body } }),
      },
      response: {
        status: response.status,
        headers: list(response.headers),
        redirectURL: '',
        content: isText
          ? { mimeType: type, text: bytes.toString('utf8') }
          : { mimeType: type, text: bytes.toString('base64'), encoding: 'base64' },
      },
    });
    return /json/.test(type) ? (JSON.parse(bytes.toString('utf8')) as Record<string, unknown>) : {};
  }

  write(name: string): string {
    const path = join(folder, name);
    writeFileSync(path, JSON.stringify({ log: { version: '1.2', entries: this.entries } }));
    return path;
  }
}

/** What a client does, in an order that the seed says. */
async function record(url: string, seed: number): Promise<Recorder> {
  const chance = seeded(seed);
  const one = <T>(list: readonly T[]): T => list[Math.floor(chance() * list.length)]!;
  const client = new Recorder(url);
  let headers: Record<string, string> = { authorization: `Bearer ${KEYS.personalToken}` };
  if (chance() < 0.5) {
    const basic = btoa(`${KEYS.client}:${KEYS.clientSecret}`);
    const token = await client.ask(
      'POST',
      '/v1/token',
      { authorization: `Basic ${basic}`, 'content-type': 'application/x-www-form-urlencoded' },
      'grant_type=client_credentials',
    );
    headers = { authorization: `Bearer ${String(token.access_token)}` };
  }
  const json = { ...headers, 'content-type': 'application/json' };
  type Listed = { id: string; serial: number; name: string };
  let pieces: Listed[] = [];
  const made: string[] = [];
  const list = async (): Promise<void> => {
    const path = one([
      '/v1/pieces?limit=5',
      '/v1/racks/A3/pieces?limit=7',
      '/v1/pieces?state=waiting&limit=4',
    ]);
    const page = await client.ask('GET', path, headers);
    pieces = page.pieces as Listed[];
    if (typeof page.next_cursor === 'string' && chance() < 0.7)
      pieces = (await client.ask('GET', `/v1/pieces?limit=3&cursor=${page.next_cursor}`, headers))
        .pieces as Listed[];
  };
  const actions: (() => Promise<unknown>)[] = [
    list,
    () => client.ask('GET', '/v1/racks', headers),
    () =>
      client.ask(
        'GET',
        `/v1/glazes/${encodeURIComponent(one(['ash', 'white & grey', 'none such']))}`,
        headers,
      ),
    async () => {
      if (pieces.length === 0) await list();
      await client.ask('GET', `/v1/pieces/${one(pieces).id}`, headers);
    },
    async () => {
      const name = one(['a "quoted" bowl', 'plain jug 4711', 'naïve ‹cup›']);
      const piece = await client.ask(
        'POST',
        '/v1/pieces',
        json,
        JSON.stringify({ name, rack: 'B2', cone: 6 }),
      );
      made.push(String(piece.id));
    },
    async () => {
      const id = made.at(-1);
      if (id !== undefined)
        await client.ask('PATCH', `/v1/pieces/${id}`, json, JSON.stringify({ cone: one([5, 7, 99]) }));
    },
    async () => {
      const id = made.pop();
      if (id !== undefined) await client.ask('DELETE', `/v1/pieces/${id}`, headers);
    },
    async () => {
      if (pieces.length === 0) await list();
      const firing = await client.ask(
        'POST',
        '/v1/firings',
        json,
        JSON.stringify({ piece: one(pieces).id, cone: 6 }),
      );
      if (firing.id === undefined) return;
      await client.ask('GET', `/v1/firings/${firing.id as string}`, headers);
      await client.ask('DELETE', `/v1/firings/${firing.id as string}`, headers);
    },
    () => client.ask('GET', '/v1/daylight?date=2026-06-21', {}),
    () => client.ask('GET', '/pictures/none.png', {}),
  ];
  for (let i = 0; i < 9; i++) await one(actions)();
  return client;
}

/** The files of a draft, with keys in variables. */
function filesOf(
  draft: Draft,
  url: string,
): { project: string; chain: string; variables: Record<string, string> } {
  const section = (name: string, entries: Iterable<readonly [string, readonly string[]]>): string =>
    `${name}:\n${[...entries].map(([key, lines]) => `  ${key}:\n${lines.map((line) => `    ${line}\n`).join('')}`).join('')}`;
  const variables = Object.fromEntries(
    [...draft.secrets].map(([name, { value = '' }]) => [`KEY_${name.toUpperCase()}`, value]),
  );
  const secrets = [...draft.secrets.keys()]
    .map((name) => `  ${name}: env KEY_${name.toUpperCase()}\n`)
    .join('');
  const services = [...draft.services].map(
    ([name, lines]) => [name, lines.map((line) => line.replace(/^url: .*/, `url: ${url}`))] as const,
  );
  return {
    project: [
      section('services', services),
      ...(draft.credentials.size > 0 ? [section('credentials', draft.credentials)] : []),
      ...(secrets === '' ? [] : [`secrets:\n${secrets}`]),
    ].join(''),
    chain: `chain: Recorded\nsteps:\n${finished(draft.step)
      .map((line) => `  ${line}\n`)
      .join('')}`,
    variables,
  };
}

/** Runs what was imported against a fresh service. */
async function carriedOut(
  draft: Draft,
  seed: number,
): Promise<{ exit: number; failures: string[]; chain: string }> {
  const service = await startPractice({ ...FREE, seed });
  const { origin } = new URL(service.url);
  const base = /^url: \S*?(\/v1)?$/.exec([...draft.services.values()][0]![0]!)?.[1] ?? '';
  const files = filesOf(draft, origin + base);
  const read = readProject('batharon.yaml', files.project, undefined, true);
  const { chain, findings } = readChain('har.chain.yaml', files.chain, read.project);
  if (!chain)
    throw new Error(
      `${[...read.findings, ...findings].map(({ message }) => message).join('\n')}\n${files.project}\n${files.chain}`,
    );
  const transport = new HttpTransport();
  const events: RunEvent[] = [];
  try {
    const { exit } = await run(
      chain,
      read.project,
      machinePorts(read.project, transport, { variables: files.variables }),
      {
        id: 'har',
        inputs: {},
        signal: new AbortController().signal,
        emit: (event) => events.push(event),
      },
    );
    const failures = events.flatMap((event) =>
      event.event === 'step-ended' && event.problem ? [`${event.step}: ${event.problem.message}`] : [],
    );
    return { exit, failures, chain: files.chain };
  } finally {
    await transport.close();
    await service.close();
  }
}

const SEEDS = Array.from({ length: process.env.PROVE === undefined ? 12 : 200 }, (_, i) => i + 1);

test(`${SEEDS.length} random recordings run again`, async () => {
  let [kept, inserted] = [0, 0];
  for (const seed of SEEDS) {
    const service = await startPractice({ ...FREE, seed: 4717 });
    let path: string;
    try {
      path = (await record(service.url, seed)).write(`${seed}.har`);
    } finally {
      await service.close();
    }
    const [only] = importHar(path, NO_PROJECT);
    const { chain, exit, failures } = await carriedOut(only!.draft, 4717);
    expect({ seed, exit, failures, chain: failures.length > 0 ? chain : '' }).toEqual({
      seed,
      exit: 0,
      failures: [],
      chain: '',
    });
    // No key stands in the chain, and none that came from the service either.
    for (const secret of [KEYS.personalToken, KEYS.clientSecret]) expect(chain).not.toContain(secret);
    kept += [...chain.matchAll(/^ {4}keep:$/gm)].length;
    inserted += [...chain.matchAll(/\$\{/g)].length;
  }
  // Ids of what was made are others each time, so that they can't pass as they stand.
  expect(kept).toBeGreaterThan(SEEDS.length);
  expect(inserted).toBeGreaterThan(kept);
}, 600_000);

describe('a recording', () => {
  const entry = (request: object, response: object): Entry => ({
    request: { method: 'GET', headers: [], ...request },
    response: {
      status: 200,
      headers: [],
      redirectURL: '',
      content: { mimeType: 'application/json', text: '{}' },
      ...response,
    },
  });
  const imported = (entries: readonly Entry[]) => {
    const path = join(folder, 'one.har');
    writeFileSync(path, JSON.stringify({ log: { entries } }));
    return importHar(path, NO_PROJECT);
  };

  test('what pages are made of is left out, and listed', () => {
    const site = 'https://shop.emberfold.example';
    const typed = (mimeType: string) => ({ content: { mimeType, text: '' } });
    const [chain] = imported([
      entry({ url: `${site}/` }, typed('text/html; charset=utf-8')),
      entry({ url: `${site}/app.js` }, typed('text/javascript')),
      entry({ url: `${site}/logo.png` }, typed('image/png')),
      entry({ method: 'OPTIONS', url: `${site}/api/orders` }, {}),
      entry({ url: `${site}/api/orders` }, {}),
      entry({ url: `${site}/gone` }, { status: 0 }),
    ]);
    expect(chain!.draft.step.filter((line) => line.startsWith('- call:'))).toEqual([
      '- call: GET emberfold /api/orders',
    ]);
    expect(chain!.draft.notes).toEqual([
      `GET ${site}/ (text/html)`,
      `GET ${site}/app.js (text/javascript)`,
      `GET ${site}/logo.png (image/png)`,
      `OPTIONS ${site}/api/orders (asked by a browser beforehand)`,
      `GET ${site}/gone (no response)`,
    ]);
  });

  test('a token of one response is kept hidden, and inserted where it comes back', () => {
    const site = 'https://api.emberfold.example';
    const [chain] = imported([
      entry(
        {
          method: 'POST',
          url: `${site}/login`,
          postData: { mimeType: 'application/json', text: '{"user":"anna","password":"clay-and-water"}' },
        },
        {
          content: {
            mimeType: 'application/json',
            text: '{"session":{"token":"tok-9f8e7d6c5b4a"},"id":9007199254740993}',
          },
        },
      ),
      entry(
        {
          url: `${site}/users/9007199254740993?trace=1`,
          headers: [{ name: 'Authorization', value: 'Bearer tok-9f8e7d6c5b4a' }],
        },
        {},
      ),
    ]);
    const text = finished(chain!.draft.step).join('\n');
    expect(text).toContain('token: hidden($.session.token)');
    expect(text).toContain('Authorization: Bearer ${token}');
    expect(text).toContain('- call: GET emberfold /users/${login_id}');
    expect(text).toContain('login_id: $.id');
    expect(text).not.toMatch(/tok-9f8|clay-and|9007199254740993/);
    expect([...chain!.draft.secrets.values()]).toEqual([{ source: 'locked', value: 'clay-and-water' }]);
  });

  test.each([
    ['no JSON', '{', /is no JSON/],
    ['no archive', '{"log": {}}', /is no HTTP Archive: log\.entries/],
  ])('%s is said', (_, text, message) => {
    const path = join(folder, 'bad.har');
    writeFileSync(path, text);
    expect(() => importHar(path, NO_PROJECT)).toThrow(message);
  });
});
