// The practice service answers as its own description says, and keeps its promises about limits and keys.
import { readFileSync, writeFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { stringify } from 'yaml';
import { openapi } from '../../src/practice/openapi.ts';
import { type PracticeService, startPractice } from '../../src/practice/service.ts';
import { KEYS } from '../../src/practice/state.ts';

let service: PracticeService;
let origin: string;
let token: string;

beforeAll(async () => {
  service = await startPractice({ speed: 100, tokenLife: 1e6 });
  origin = new URL(service.url).origin;
  const response = await fetch(`${service.url}/token`, {
    method: 'POST',
    headers: client,
    body: 'grant_type=client_credentials',
  });
  ({ access_token: token } = (await response.json()) as { access_token: string });
});
afterAll(() => service.close());

const form = 'application/x-www-form-urlencoded';
const client = {
  authorization: `Basic ${btoa(`${KEYS.client}:${KEYS.clientSecret}`)}`,
  'content-type': form,
};
const staff = { authorization: `Basic ${btoa(`${KEYS.officeUser}:${KEYS.officePassword}`)}` };
const key = { 'emberfold-key': KEYS.apiKey };

type Response = { content?: Record<string, { schema?: object }> };
const ajv = new Ajv2020({ strict: false, validateFormats: false });
ajv.addSchema({ ...openapi, $id: 'service' });

/** The operation of the description that a request is one of. */
function operationOf(method: string, path: string): { pattern: string; responses: Record<string, Response> } {
  const found = Object.entries(openapi.paths).find(([pattern]) =>
    new RegExp(`^${pattern.replace(/\{[^}]+\}/g, '[^/]+')}$`).test(path),
  );
  const operation =
    found && (found[1] as Record<string, { responses: Record<string, Response> }>)[method.toLowerCase()];
  if (!operation) throw new Error(`${method} ${path} is not described`);
  return { pattern: `${method} ${found[0]}`, responses: operation.responses };
}

const asked = new Set<string>();

/** Sends a request and holds its response to the description. */
async function ask(
  method: string,
  path: string,
  headers: Record<string, string> = {},
  body?: string,
): Promise<{ status: number; headers: Headers; value: unknown }> {
  const response = await fetch(origin + path, {
    method,
    headers,
    redirect: 'manual',
    ...(body === undefined ? {} : { body }),
  });
  const { pattern, responses } = operationOf(method, path.split('?')[0]!);
  asked.add(`${pattern} ${response.status}`);
  const described = responses[String(response.status)];
  if (!described) throw new Error(`${method} ${path} answered ${response.status}, which is not described`);
  const type = response.headers.get('content-type')?.split(';')[0];
  const content = await response.text();
  if (content === '') return { status: response.status, headers: response.headers, value: undefined };
  const described2 = described.content?.[type ?? ''];
  if (!described2) throw new Error(`${method} ${path} answered ${String(type)}, which is not described`);
  const value: unknown = /[/+]json$/.test(type ?? '') ? (JSON.parse(content) as unknown) : content;
  if (described2.schema) {
    const schema = JSON.parse(
      JSON.stringify(described2.schema).replaceAll('"#/components', '"service#/components'),
    ) as object;
    const valid = ajv.validate(schema, value);
    if (!valid) throw new Error(`${method} ${path}: ${ajv.errorsText()}\n${content.slice(0, 400)}`);
  }
  return { status: response.status, headers: response.headers, value };
}

test('every response is as /openapi.json says', async () => {
  const bearer = { authorization: `Bearer ${token}` };
  const jsonType = { ...bearer, 'content-type': 'application/json' };
  for (const path of [
    '/',
    '/openapi.json',
    '/v1/daylight?date=2026-06-21',
    '/v1/daylight?date=tomorrow',
    '/v1/office/orders',
  ])
    await ask('GET', path);
  await ask('GET', '/v1/office/orders', staff);
  for (const body of [
    'grant_type=client_credentials&scope=pieces:read',
    'grant_type=password',
    'grant_type=client_credentials&scope=x',
  ])
    await ask('POST', '/v1/token', client, body);
  await ask('POST', '/v1/token', { 'content-type': form }, 'grant_type=client_credentials');
  for (const path of [
    '/v1/racks',
    '/v1/glazes',
    '/v1/glazes/white%20%26%20grey',
    '/v1/glazes/none',
    '/v1/racks/A3/pieces?state=waiting&page=2',
    '/v1/racks/Z/pieces',
    '/v1/racks/A3/pieces?page=0',
    '/v1/pieces?limit=2',
    '/v1/pieces?cursor=eA',
    '/v1/pieces?page=3&fields=id,price',
    '/v1/pieces/p1001',
    '/v1/pieces/none',
    '/v1/firings/none',
  ]) {
    await ask('GET', path, key);
  }
  for (const path of [
    '/v1/racks',
    '/v1/glazes',
    '/v1/pieces',
    '/v1/pieces/p1001',
    '/v1/racks/A3/pieces',
    '/v1/glazes/ash',
    '/v1/firings/x',
    '/v1/firings/x/certificate',
  ])
    await ask('GET', path);
  const created = await ask('POST', '/v1/pieces', jsonType, '{"name": "a", "rack": "A1", "price": 12.50}');
  const { id } = created.value as { id: string };
  await ask('POST', '/v1/pieces', jsonType, '{"name": ""}');
  await ask('POST', '/v1/pieces', { ...key, 'content-type': 'application/json' }, '{}');
  await ask('GET', `/v1/pieces/${id}`, { ...key, 'if-none-match': created.headers.get('etag')! });
  await ask('PUT', `/v1/pieces/${id}`, jsonType, '{"name": "b", "rack": "A2"}');
  await ask('PATCH', `/v1/pieces/${id}`, { ...jsonType, 'if-match': '"old"' }, '{"cone": 7}');
  await ask('PATCH', `/v1/pieces/${id}`, jsonType, '{"cone": 70}');
  await ask('DELETE', `/v1/pieces/${id}`, bearer);
  await ask('DELETE', `/v1/pieces/${id}`, bearer);
  const loaded = await ask(
    'POST',
    '/v1/firings',
    { ...jsonType, 'idempotency-key': 'k1' },
    '{"piece": "p1001"}',
  );
  const again = await ask(
    'POST',
    '/v1/firings',
    { ...jsonType, 'idempotency-key': 'k1' },
    '{"piece": "p1001"}',
  );
  expect(again.value).toEqual(loaded.value);
  await ask('POST', '/v1/firings', { ...jsonType, 'idempotency-key': 'k1' }, '{"piece": "p1002"}');
  await ask('POST', '/v1/firings', jsonType, 'no json');
  const firing = (loaded.value as { href: string }).href;
  await ask('GET', firing, bearer);
  await ask('GET', `${firing}/certificate`, bearer);
  await new Promise((resolve) => setTimeout(resolve, 200));
  expect((await ask('GET', firing, bearer)).value).toMatchObject({ state: 'done' });
  expect(String((await ask('GET', `${firing}/certificate`, bearer)).value).slice(1, 4)).toBe('PNG');
  await ask('DELETE', firing, bearer);
  await ask('DELETE', firing, bearer);
  await ask('GET', '/ledger');
  for (const [method, path, headers, body] of [
    ['GET', '/v1/glazes', { ...key, accept: 'application/xml' }],
    ['GET', '/v1/catalogue', key],
    ['GET', '/v1/catalogue', {}],
    ['GET', '/v1/kiln/events', key],
    ['GET', '/v1/kiln/sensors?lines=2', key],
    ['GET', '/v1/kiln/changes?after=8', key],
    ['GET', '/v1/kiln/watch', { ...key, 'last-event-id': '9' }],
    ['POST', '/v1/desk/advice', key, '{}'],
    ['POST', '/v1/desk/advice', key, '{"question":"which cone?"}'],
    ['GET', '/v1/film?megabytes=1', key],
    ['GET', '/v1/film?megabytes=9999', key],
    ['GET', '/v1/pieces/p1001/photo', key],
    ['GET', '/v1/pieces/none/photo', key],
    ['PUT', '/v1/pieces/p1001/photo', { ...key, 'content-type': 'image/png' }, 'not one'],
    ['GET', '/pictures/p1001.png', {}],
    ['GET', '/pictures/p1001.png', key],
    ['POST', '/v1/device', { 'content-type': form }, 'client_id=nobody'],
    ['GET', '/device', {}],
    ['POST', '/device', { 'content-type': form }, 'code=NONE'],
    ['GET', '/v1/archive/firings', {}],
    ['GET', '/v1/studio/login', {}],
    ['POST', '/v1/studio/login', { 'content-type': form }, 'user=rui&password=no'],
    ['GET', '/v1/studio/plans', {}],
    ['GET', '/v1/signed/orders', {}],
    ['POST', '/v1/signed/orders', { 'content-type': 'application/json' }, '{}'],
    ['POST', '/v1/token', { 'content-type': form }, 'grant_type=refresh_token&refresh_token=x'],
  ] as [string, string, Record<string, string>, string?][])
    await ask(method, path, headers, body);
  const signedIn = await ask(
    'POST',
    '/v1/studio/login',
    { 'content-type': form },
    `user=${KEYS.studioUser}&password=${KEYS.studioPassword}`,
  );
  const cookie = signedIn.headers.getSetCookie()[0]!.split(';')[0]!;
  expect((await ask('GET', '/v1/studio/plans', { cookie })).status).toBe(200);
  const device = (await ask('POST', '/v1/device', { 'content-type': form }, `client_id=${KEYS.panel}`))
    .value as { device_code: string; user_code: string };
  const asking = `grant_type=urn:ietf:params:oauth:grant-type:device_code&client_id=${KEYS.panel}&device_code=${device.device_code}`;
  const errors = [];
  for (let i = 0; i < 2; i++)
    errors.push(
      ((await ask('POST', '/v1/token', { 'content-type': form }, asking)).value as { error: string }).error,
    );
  expect(errors).toEqual(['authorization_pending', 'slow_down']);
  expect((await ask('POST', '/device', { 'content-type': form }, `code=${device.user_code}`)).status).toBe(
    200,
  );
  await new Promise((resolve) => setTimeout(resolve, 60));
  const granted = (await ask('POST', '/v1/token', { 'content-type': form }, asking)).value as {
    refresh_token: string;
  };
  const refresh = `grant_type=refresh_token&refresh_token=${granted.refresh_token}`;
  expect((await ask('POST', '/v1/token', { 'content-type': form }, refresh)).status).toBe(200);
  expect((await ask('POST', '/v1/token', { 'content-type': form }, refresh)).status).toBe(400);
  const described = Object.entries(openapi.paths).flatMap(([path, methods]) =>
    Object.keys(methods)
      .filter((name) => name !== 'parameters' && path !== '/v1/moody/racks')
      .map((name) => `${name.toUpperCase()} ${path}`),
  );
  expect(described.filter((one) => ![...asked].some((seen) => seen.startsWith(`${one} `)))).toEqual([]);
});

test('the demo has the description as it is (UPDATE=1 writes it)', () => {
  const path = new URL('../../examples/kiln.openapi.yaml', import.meta.url);
  const text = stringify(openapi, { aliasDuplicateObjects: false, lineWidth: 0 });
  if (process.env.UPDATE === '1') writeFileSync(path, text);
  expect(readFileSync(path, 'utf8')).toBe(text);
});

test('/v1/moody misbehaves now and then, the same way at every start', async () => {
  const moods = async (): Promise<string[]> => {
    const moody = await startPractice();
    const seen: string[] = [];
    for (let i = 0; i < 25; i++) {
      const response = await fetch(`${moody.url}/moody/racks`).catch(() => undefined);
      seen.push(
        response ? `${response.status} ${(await response.text().catch(() => 'cut')).slice(0, 12)}` : 'reset',
      );
    }
    await moody.close();
    return seen;
  };
  const first = await moods();
  expect(new Set(first).size).toBeGreaterThan(3);
  expect(first).toContain('200 {"racks":["A');
  expect(await moods()).toEqual(first);
});

describe('its promises', () => {
  test('all three kinds of paging give the same 137 pieces', async () => {
    const byCursor: string[] = [];
    for (let cursor: string | null = ''; cursor !== null;) {
      const { value } = await ask(
        'GET',
        `/v1/pieces?limit=50${cursor === '' ? '' : `&cursor=${cursor}`}`,
        key,
      );
      const page = value as { pieces: { id: string }[]; next_cursor: string | null };
      byCursor.push(...page.pieces.map(({ id }) => id));
      cursor = page.next_cursor;
    }
    const byNumber: string[] = [];
    for (let page = 1, pages = 1; page <= pages; page++) {
      const { value } = await ask('GET', `/v1/pieces?limit=50&page=${page}`, key);
      byNumber.push(...(value as { pieces: { id: string }[] }).pieces.map(({ id }) => id));
      ({ pages } = value as { pages: number });
    }
    const byLink: string[] = [];
    for (const rack of ['A1', 'A2', 'A3', 'B1', 'B2', 'C1']) {
      for (let next: string | undefined = `/v1/racks/${rack}/pieces?limit=50`; next !== undefined;) {
        const { value, headers } = await ask('GET', next, key);
        byLink.push(...(value as { pieces: { id: string }[] }).pieces.map(({ id }) => id));
        next = /<([^>]*)>; rel="next"/.exec(headers.get('link') ?? '')?.[1];
      }
    }
    expect(byCursor).toHaveLength(137);
    expect(byNumber).toEqual(byCursor);
    expect(byLink.toSorted()).toEqual(byCursor.toSorted());
  });

  test('beyond its rate it answers 429 with a page and says when to come back', async () => {
    const strict = await startPractice({ rate: 1, burst: 2 });
    const responses = await Promise.all(
      Array.from({ length: 4 }, () => fetch(`${strict.url}/racks`, { headers: key })),
    );
    const refused = responses.filter(({ status }) => status === 429);
    expect(refused).toHaveLength(2);
    expect(refused[0]!.headers.get('retry-after')).toMatch(/^[12]$/);
    expect(refused[0]!.headers.get('ratelimit')).toMatch(/^"burst";r=0;t=[12]$/);
    expect(await refused[0]!.text()).toContain('<title>Too many requests</title>');
    await strict.close();
  });

  test('a token ends, and the ledger counts what came', async () => {
    const quick = await startPractice({ speed: 10_000, tokenLife: 100 });
    const granted = await fetch(`${quick.url}/token`, {
      method: 'POST',
      headers: client,
      body: 'grant_type=client_credentials',
    });
    const { access_token: own } = (await granted.json()) as { access_token: string };
    await new Promise((resolve) => setTimeout(resolve, 30));
    const late = await fetch(`${quick.url}/racks`, { headers: { authorization: `Bearer ${own}` } });
    expect([late.status, late.headers.get('www-authenticate')]).toEqual([
      401,
      expect.stringContaining('expired'),
    ]);
    await fetch(`${quick.url}/racks?mishap=reset`, { headers: key }).catch(() => undefined);
    const ledger = (await (await fetch(`${new URL(quick.url).origin}/ledger`)).json()) as {
      received: number;
      requests: { mishap?: string; credential: string }[];
    };
    expect(ledger.received).toBe(3);
    expect(ledger.requests.map(({ credential, mishap }) => mishap ?? credential)).toEqual([
      'Basic',
      'Bearer',
      'reset',
    ]);
    await quick.close();
  });

  test('two services with one seed hold the same', async () => {
    const [a, b] = await Promise.all([startPractice(), startPractice()]);
    const [first, second] = await Promise.all(
      [a, b].map(async ({ url }) => (await fetch(`${url}/pieces?limit=50`, { headers: key })).text()),
    );
    expect(first).toBe(second);
    expect(first).toMatch(/"serial":9007199\d{9},/);
    expect(first).toMatch(/"price":\d+\.\d0,/);
    await Promise.all([a.close(), b.close()]);
  });
});
