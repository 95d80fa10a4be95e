// Responses of the practice service are as described; with --drift each planted deviation is found, and none other.
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Description } from '../../src/core/contract/description.ts';
import { responseDeviations } from '../../src/core/contract/deviations.ts';
import { findOperation, partsOf } from '../../src/core/contract/find-operation.ts';
import { parseJson } from '../../src/core/language/json.ts';
import { openDescription } from '../../src/io/description/open-description.ts';
import { SchemaValidator } from '../../src/io/description/validate.ts';
import { DRIFTS, type PlannedDrift } from '../../src/practice/planned-drift.ts';
import { openapi } from '../../src/practice/openapi.ts';
import { startPractice } from '../../src/practice/service.ts';
import { KEYS } from '../../src/practice/state.ts';

const folder = mkdtempSync(join(tmpdir(), 'batharon-drift-'));
const validator = new SchemaValidator();
let description: Description;

beforeAll(() => {
  writeFileSync(join(folder, 'kiln.openapi.json'), JSON.stringify(openapi, undefined, 2));
  description = openDescription(join(folder, 'kiln.openapi.json'), 'kiln.openapi.json', folder);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const key = { 'emberfold-key': KEYS.apiKey };
const token = { authorization: `Bearer ${KEYS.personalToken}`, 'content-type': 'application/json' };
const basic = (user: string, password: string) => ({ authorization: `Basic ${btoa(`${user}:${password}`)}` });
const form = { 'content-type': 'application/x-www-form-urlencoded' };

type Told = readonly [operation: string, status: number, path: string];

/** Asks the service for everything that may drift; gives each deviation of its responses. */
async function deviationsOf(drift: boolean): Promise<{ told: Told[]; asked: Set<string> }> {
  const service = await startPractice({ speed: 100, drift });
  const told: Told[] = [];
  const asked = new Set<string>();
  const ask = async (
    method: string,
    path: string,
    headers: Record<string, string> = {},
    body?: string,
  ): Promise<{ text: string; headers: Headers }> => {
    const response = await fetch(new URL(service.url).origin + path, {
      method,
      headers,
      redirect: 'manual',
      ...(body === undefined ? {} : { body }),
    });
    const text = await response.text();
    const type = response.headers.get('content-type')?.split(';')[0];
    const found = findOperation(description, method, partsOf(path.split('?')[0]!));
    if (!('head' in found)) throw new Error(`${method} ${path} is not described`);
    const operation = `${method} ${found.head.path}`;
    asked.add(operation);
    const deviations = responseDeviations(
      description,
      description.operation(found.head),
      {
        status: response.status,
        headers: [...response.headers],
        type,
        json: type?.endsWith('json') ? parseJson(text) : undefined,
        size: text.length,
      },
      validator,
    );
    told.push(...deviations.map((one): Told => [operation, response.status, one.path]));
    return { text, headers: response.headers };
  };
  try {
    await ask('GET', '/v1/racks', key);
    await ask('GET', '/v1/racks/A3/pieces', key);
    await ask('GET', '/v1/pieces?limit=3', key);
    await ask('GET', '/v1/pieces/p1001', key);
    await ask('GET', '/v1/pieces/none', key);
    const created = await ask('POST', '/v1/pieces', token, '{"name": "a", "rack": "A1"}');
    const { id } = JSON.parse(created.text) as { id: string };
    await ask('PUT', `/v1/pieces/${id}`, token, '{"name": "b", "rack": "A2"}');
    await ask('PATCH', `/v1/pieces/${id}`, token, '{"cone": 7}');
    await ask('PUT', `/v1/pieces/${id}/photo`, { ...token, 'content-type': 'image/png' }, 'png');
    await ask('DELETE', `/v1/pieces/${id}`, token);
    await ask('GET', '/v1/glazes', key);
    await ask('GET', '/v1/glazes/ash', key);
    await ask('GET', '/v1/glazes/none', key);
    const loaded = await ask('POST', '/v1/firings', token, '{"piece": "p1003", "cone": 6}');
    await ask('GET', `/v1/firings/${(JSON.parse(loaded.text) as { id: string }).id}`, token);
    await ask('GET', '/v1/daylight?date=2026-06-21');
    await ask('GET', '/v1/daylight?date=never');
    await ask('GET', '/v1/office/orders', basic(KEYS.officeUser, KEYS.officePassword));
    const locked = await ask('GET', '/v1/archive/firings');
    await ask('GET', '/v1/archive/firings', digest(locked.headers, '/v1/archive/firings'));
    await ask('GET', '/v1/studio/plans', { cookie: `studio_session=${KEYS.studioSession}` });
    const client = basic(KEYS.client, KEYS.clientSecret);
    await ask('POST', '/v1/token', { ...form, ...client }, 'grant_type=client_credentials');
    await ask('POST', '/v1/device', form, `client_id=${KEYS.panel}&scope=pieces:read`);
    await ask('GET', '/v1/catalogue', key);
  } finally {
    await service.close();
  }
  return { told, asked };
}

/** The answer to a challenge of Digest (RFC 7616, section 3.4). */
function digest(headers: Headers, uri: string): Record<string, string> {
  const challenge = headers.get('www-authenticate')!;
  const part = (name: string): string => new RegExp(`${name}="?([^",]+)`).exec(challenge)![1]!;
  const [realm, nonce] = [part('realm'), part('nonce')];
  const algorithm = /algorithm=(SHA-256|MD5)/i.exec(challenge)?.[1] ?? 'MD5';
  const hash = (text: string): string =>
    createHash(algorithm.toUpperCase() === 'MD5' ? 'md5' : 'sha256')
      .update(text)
      .digest('hex');
  const user = KEYS.archiveUser;
  const response = hash(
    `${hash(`${user}:${realm}:${KEYS.archivePassword}`)}:${nonce}:00000001:abc:auth:${hash(`GET:${uri}`)}`,
  );
  return {
    authorization: `Digest username="${user}", realm="${realm}", nonce="${nonce}", uri="${uri}", qop=auth, nc=00000001, cnonce="abc", response="${response}", algorithm=${algorithm}${/opaque="/.test(challenge) ? `, opaque="${part('opaque')}"` : ''}`,
  };
}

/** Where a planted deviation is told. */
function toldOf({ at, kind, operation, status }: PlannedDrift): Told {
  if (kind === 'status') return [operation, Number(at), 'status'];
  if (kind === 'type') return [operation, status, 'content type'];
  if (at.startsWith('header:')) {
    const names: Record<string, string> = {
      location: 'Location',
      etag: 'ETag',
      'retry-after': 'Retry-After',
    };
    return [operation, status, `header ${names[at.slice('header:'.length)]!}`];
  }
  return [operation, status, at.startsWith('[') ? `$${at}` : `$.${at}`];
}

test('without drift every response is as described', async () => {
  const { told, asked } = await deviationsOf(false);
  expect(told).toEqual([]);
  expect([...new Set(DRIFTS.map(({ operation }) => operation))].filter((one) => !asked.has(one))).toEqual([]);
});

test('with drift each of 40 planted deviations is found, and none other', async () => {
  expect(DRIFTS).toHaveLength(40);
  const { told } = await deviationsOf(true);
  const lines = (all: readonly Told[]): string[] => all.map((one) => one.join(' ')).sort();
  expect(lines(told)).toEqual(lines(DRIFTS.map(toldOf)));
});
