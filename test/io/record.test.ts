// What a run leaves behind: enough to go on from, and no secret that can be read.
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { RunEvent } from '../../src/core/events.ts';
import { Recorder } from '../../src/io/record.ts';
import type { Recorded } from '../../src/io/record-schema.ts';
import { Records } from '../../src/io/records.ts';
import { LockedStore } from '../../src/io/locked-store.ts';
import { keptNames, stepObject, valueOfAnswer } from '../../src/cli/recorded.ts';
import { KILN, runChain } from '../engine/support.ts';

const folder = (): string => mkdtempSync(join(tmpdir(), 'batharon-record-'));

const CHAIN = `chain: A
steps:
  - call: POST kiln /login
    name: login
    json: { key: "\${secret.key}" }
    keep:
      token: hidden($.note)
      session: $.access_token
      serial: $.serial
  - call: GET kiln /echo
    name: echo
    headers: { Token: "\${token}" }
    keep: { echoed: text }
`;

async function recorded(
  secret: string,
  store: LockedStore,
): Promise<{ record: Recorded; events: readonly RunEvent[] }> {
  const recorder = new Recorder();
  const { events, exit } = await runChain(
    CHAIN,
    (_, nth) =>
      nth === 0
        ? {
            status: 200,
            json: JSON.stringify({
              note: `${secret}-note`,
              access_token: `${secret}-token`,
              serial: 12,
            }).replace('12', '9007199256740999'),
          }
        : {
            status: 200,
            headers: [['content-type', 'text/plain']],
            body: Buffer.from(
              `you sent ${secret} and ${secret}-note, ${Buffer.from(secret).toString('base64')}`,
            ),
          },
    {
      project: `${KILN}secrets: { key: env KEY }\n`,
      secrets: { key: secret },
      ports: { bodies: recorder, sealer: store },
    },
  );
  expect(exit).toBe(0);
  const record = events.map((event) => recorder.take(event)).find((one) => one !== undefined)!;
  return { record, events };
}

test('a record holds no secret in any spelling; what was kept can be opened by its user', async () => {
  const at = folder();
  const store = new LockedStore(at, { XDG_CONFIG_HOME: at });
  await fc.assert(
    fc.asyncProperty(fc.stringMatching(/^[A-Za-z0-9"\\/+ é]{8,30}$/), async (secret) => {
      const { record } = await recorded(secret, store);
      const text = JSON.stringify(record);
      for (const spelling of [
        secret,
        JSON.stringify(secret).slice(1, -1),
        encodeURIComponent(secret),
        Buffer.from(secret).toString('base64'),
      ])
        expect([
          spelling,
          text.includes(spelling) || text.includes(JSON.stringify(spelling).slice(1, -1)),
        ]).toEqual([spelling, false]);
      const kept = keptNames(record, store);
      expect([kept.get('token'), kept.get('session')]).toEqual([`${secret}-note`, `${secret}-token`]);
      // Somebody else has the names that are no secrets, and no others.
      expect([...keptNames(record, new LockedStore(at, { XDG_CONFIG_HOME: folder() })).keys()]).toEqual([
        'serial',
      ]);
    }),
    { numRuns: 25 },
  );
});

test('what is read back is what was written: numbers, answers, steps', async () => {
  const at = folder();
  const store = new LockedStore(at, { XDG_CONFIG_HOME: at });
  const { record } = await recorded('clay-and-water', store);
  const records = new Records(at);
  expect(records.write(record)).toBeUndefined();
  expect(records.all()).toEqual([record]);
  expect([
    records.find('last')?.run,
    records.find(record.run.slice(0, 2))?.run,
    records.find('zz'),
    records.ofChain('other'),
  ]).toEqual([record.run, record.run, undefined, undefined]);
  const [login, echo] = records.all()[0]!.steps;
  expect(login!.kept.serial).toEqual({ value: '9007199256740999' });
  expect(stepObject(login!)).toMatchObject({ ok: true, status: 200, url: 'https://kiln.example/v1/login' });
  expect(valueOfAnswer(echo!)).toMatch(/^you sent ‹secret key› and ‹secret token›/);
});

test('what can’t be read is left out, and what can’t be written is said', () => {
  const at = folder();
  const records = new Records(at);
  const record: Recorded = {
    version: 1,
    run: 'a',
    chain: 'A',
    file: 'a.chain.yaml',
    at: 1,
    outcome: 'held',
    steps: [],
  };
  records.write(record);
  const own = join(at, '.batharon/last');
  writeFileSync(join(own, 'cut.json'), JSON.stringify(record).slice(0, 30));
  writeFileSync(join(own, 'future.json'), JSON.stringify({ ...record, version: 2 }));
  expect(records.all()).toEqual([record]);
  expect(readdirSync(own).filter((name) => !name.endsWith('.json'))).toEqual([]);
  expect(readFileSync(join(at, '.batharon/.gitignore'), 'utf8')).toBe('*\n');
  expect(new Records(join(own, 'a.json')).write(record)).toMatch(/ENOTDIR|not a directory/);
});
