// What a run leaves behind: enough to look at and to go on from, and no secret that can be read.
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gunzipSync } from 'node:zlib';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { eventSchema, type RunEvent } from '../../../src/core/events.ts';
import { fromVersion1 } from '../../../src/core/record/version-1.ts';
import { pastOf } from '../../../src/core/record/past-of-events.ts';
import { Outline } from '../../../src/io/record/outline.ts';
import { readTyped, writeTyped } from '../../../src/core/language/typed-json.ts';
import { Duration, Time, type Value } from '../../../src/core/language/values.ts';
import { responseOf, findStep, OpenRun } from '../../../src/api/open-run.ts';
import { parsePlace } from '../../../src/core/address.ts';
import { keptNames, stepObject } from '../../../src/api/recorded-names.ts';
import { LockedStore } from '../../../src/io/secrets/locked-store.ts';
import { RecordWriter } from '../../../src/io/record/record-writer.ts';
import { Records } from '../../../src/io/record/records.ts';
import type { RunSummary } from '../../../src/io/record/summary.ts';
import { KILN, type Ran, type Reply, runChain, type RunSetting } from '../../core/engine/support.ts';
import { numberOf } from '../../../src/core/language/numbers.ts';

const folder = (): string => mkdtempSync(join(tmpdir(), 'batharon-record-'));

/** Runs a chain and records it below a folder. */
async function record(
  at: string,
  chain: string,
  script: (nth: number) => Reply,
  setting: RunSetting = {},
): Promise<Ran & { readonly id: string; readonly records: Records; readonly warnings: string[] }> {
  const records = new Records(at);
  const warnings: string[] = [];
  const { id, writer } = records.begin((why) => warnings.push(why));
  const store = new LockedStore(at, { XDG_CONFIG_HOME: join(at, 'config') });
  const ran = await runChain(chain, (_, nth) => script(nth), {
    project: KILN,
    ...setting,
    id,
    onEvent: (event) => writer.take(event),
    ports: { record: writer, sealer: store, ...setting.ports },
  });
  records.prune(await writer.close());
  return { ...ran, id, records, warnings };
}

/** Every file below a folder as text, compressed ones opened. */
function everything(at: string): string {
  return readdirSync(at, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map(({ name, parentPath }) => {
      const bytes = readFileSync(join(parentPath, name));
      return (name.endsWith('.gz') ? gunzipSync(bytes) : bytes).toString('latin1');
    })
    .join('\n');
}

const SIGNS_IN = `chain: A
inputs: { pin: { kind: secret } }
steps:
  - call: POST kiln /login
    name: login
    json: { key: "\${secret.key}", pin: "\${pin}" }
    keep:
      token: hidden($.note)
      session: $.access_token
      serial: $.serial
  - call: GET kiln /echo
    name: echo
    headers: { Token: "\${token}" }
    keep: { echoed: text }
    expect: login.body.serial == serial
`;

const signingIn = (secret: string) => (nth: number) =>
  nth === 0
    ? {
        status: 200,
        headers: [['set-cookie', `session=${secret}-cookie; Path=/`]] as const,
        json: `{"note":${JSON.stringify(`${secret}-note`)},"access_token":${JSON.stringify(`${secret}-token`)},"serial":9007199256740999}`,
      }
    : {
        status: 200,
        headers: [['content-type', 'text/plain']] as const,
        body: Buffer.from(
          `you sent ${secret} and ${secret}-note, ${Buffer.from(secret).toString('base64')} ${'.'.repeat(40_000)}`,
        ),
      };

test('no file of a record holds a secret in any spelling; what was kept can be opened by its user', async () => {
  await fc.assert(
    fc.asyncProperty(fc.stringMatching(/^[A-Za-z0-9"\\/+ é]{8,30}$/), async (secret) => {
      const at = folder();
      const { exit, id, records } = await record(at, SIGNS_IN, signingIn(secret), {
        project: `${KILN}secrets: { key: env KEY }\n`,
        secrets: { key: secret },
        inputs: { pin: `${secret}-pin` },
        texts: [{ path: 'a.chain.yaml', text: `chain: ${secret}` }],
      });
      expect(exit).toBe(0);
      const all = everything(join(at, '.batharon'));
      expect(all).toContain('9007199256740999');
      for (const spelling of [
        secret,
        JSON.stringify(secret).slice(1, -1),
        JSON.stringify(JSON.stringify(secret).slice(1, -1)).slice(1, -1),
        encodeURIComponent(secret),
        Buffer.from(secret).toString('base64'),
      ])
        expect([spelling, all.includes(Buffer.from(spelling).toString('latin1'))]).toEqual([spelling, false]);
      const login = OpenRun.read(records, id).step('login')!;
      const own = keptNames(login, new LockedStore(at, { XDG_CONFIG_HOME: join(at, 'config') }));
      expect([own.get('token'), own.get('session')]).toEqual([`${secret}-note`, `${secret}-token`]);
      // Somebody else has the names that are no secrets, and no others.
      const other = keptNames(login, new LockedStore(at, { XDG_CONFIG_HOME: join(at, 'other') }));
      expect([...other.keys()]).toEqual(['serial']);
    }),
    { numRuns: 20 },
  );
});

test('what is read back is what was told: numbers, responses, long bodies, steps', async () => {
  const at = folder();
  const { events, id, records } = await record(at, SIGNS_IN, signingIn('clay-and-water'), {
    project: `${KILN}secrets: { key: env KEY }\n`,
    secrets: { key: 'clay-and-water' },
    inputs: { pin: 'kiln-pin' },
  });
  expect(records.events(id)).toMatchObject({ events, garbled: [] });
  const open = OpenRun.read(records, id);
  const [login, echo] = [open.step('login')!, open.step('echo')!];
  expect(login.kept.get('serial')).toMatchObject({ value: '9007199256740999' });
  expect(stepObject(open, login)).toMatchObject({
    ok: true,
    status: 200,
    url: 'https://kiln.example/v1/login',
  });
  expect(responseOf(echo)!.body).toMatchObject({ cut: true });
  expect(open.value(responseOf(echo)!)).toMatch(
    /^you sent ‹secret key› and ‹secret token›, ‹secret key› \.{40000}$/,
  );
  expect([records.find('last'), records.find(id.slice(0, 5))]).toEqual([id, id]);
  expect(findStep(records, parsePlace('last:echo')).step.address).toBe('echo');
  expect(() => records.find('zz')).toThrow('no run zz is recorded');
  expect(() => findStep(records, parsePlace(`${id}:ecco`))).toThrow(`the run ${id} has no step ecco`);
  expect([...records.list()]).toMatchObject([{ run: id, outcome: 'passed', calls: 2 }]);
});

test('any value comes back as what it was', () => {
  const value: fc.Arbitrary<Value> = fc.letrec<{ value: Value }>((tie) => ({
    value: fc.oneof(
      { depthSize: 'small' },
      fc.constantFrom<Value>(null, true, numberOf('1e400'), numberOf('12345678901234567890.10')),
      fc.string(),
      fc.integer(),
      fc.integer().map((n) => new Time(n)),
      fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => new Duration(n)),
      fc.uint8Array(),
      fc.array(tie('value')),
      fc.dictionary(
        fc.oneof(fc.string(), fc.constantFrom('$time', '$duration', '$bytes', '$object', '__proto__')),
        tie('value'),
      ) as fc.Arbitrary<Value>,
    ),
  })).value;
  const told = (one: Value): string => writeTyped(one);
  fc.assert(fc.property(value, (one) => expect(told(readTyped(told(one)))).toBe(told(one))));
  const read = readTyped(
    writeTyped([new Time(5), new Duration(6), new Uint8Array([7]), { $time: 5 }]),
  ) as Value[];
  expect([(read[0] as Time).milliseconds, (read[1] as Duration).milliseconds, read[2], read[3]]).toEqual([
    5,
    6,
    new Uint8Array([7]),
    { $time: 5 },
  ]);
});

const ONE = 'chain: One\nsteps:\n  - call: GET kiln /racks\n    name: racks\n';
const empty = (): Reply => ({ json: '{}' });

describe('a record that is not as it should be', () => {
  test('interrupted in a line, it is read up to the last whole event', async () => {
    const at = folder();
    const { id, records, events } = await record(at, ONE, empty);
    const path = join(records.folderOf(id), 'events.jsonl');
    const whole = readFileSync(path);
    for (const length of [whole.length - 1, whole.length - 40, 300]) {
      writeFileSync(path, whole.subarray(0, length));
      const read = records.events(id);
      expect(read.garbled).toEqual([]);
      expect(read.events).toEqual(events.slice(0, read.events.length));
      expect(read.events.length).toBeLessThan(events.length);
    }
    writeFileSync(path, '');
    expect(() => OpenRun.read(records, id)).toThrow('has no beginning that can be read');
  });

  test('garbled, the rest is read and the lines are named; with nothing left that is said', async () => {
    const at = folder();
    const { id, records } = await record(at, ONE, empty);
    const path = join(records.folderOf(id), 'events.jsonl');
    const lines = readFileSync(path, 'utf8').split('\n');
    writeFileSync(path, [lines[0], '\u0000\u0001 {"event"', '{"event":17}', ...lines.slice(2)].join('\n'));
    const open = OpenRun.read(records, id);
    expect([open.garbled, open.run.outcome]).toEqual([[2, 3], 'passed']);
    writeFileSync(path, 'no event\n');
    writeFileSync(join(records.folderOf(id), 'summary.json'), '{');
    expect(() => OpenRun.read(records, id)).toThrow('holds no event that can be read');
    expect([...records.list()]).toEqual([
      { run: id, unreadable: expect.stringContaining('no event') as unknown },
    ]);
  });

  test('of a newer version, it says so', async () => {
    const at = folder();
    const { id, records } = await record(at, ONE, empty);
    const path = join(records.folderOf(id), 'events.jsonl');
    writeFileSync(path, readFileSync(path, 'utf8').replace('"version":2', '"version":3'));
    expect(() => OpenRun.read(records, id)).toThrow('was written by a newer version of Batharon');
  });
});

describe("a record that can't be written", () => {
  test("a folder that can't be made is said once, and the run ends as it would", async () => {
    const at = folder();
    writeFileSync(join(at, '.batharon'), 'a file');
    const { exit, warnings } = await record(at, ONE, empty);
    expect([exit, warnings.length]).toEqual([0, 1]);
    expect(warnings[0]).toMatch(/a part of the path is a file|EEXIST|not a directory/);
  });

  const full = '/dev/full';
  (existsSync(full) ? test : test.skip)(
    'a disk that is full is said once, and the run ends as it would',
    async () => {
      const at = folder();
      const records = new Records(at);
      const warnings: string[] = [];
      const { id, writer } = records.begin((why) => warnings.push(why));
      await writer.close();
      rmSync(join(records.folderOf(id), 'events.jsonl'));
      symlinkSync(full, join(records.folderOf(id), 'events.jsonl'));
      const again = records.begin((why) => warnings.push(why));
      void again.writer.close();
      const { RecordWriter: Writer } = await import('../../../src/io/record/record-writer.ts');
      const broken: RecordWriter = new Writer(records.folderOf(id), (why) => warnings.push(why));
      const post = ONE.replace('GET', 'POST');
      const { exit } = await runChain(post, empty, {
        project: KILN,
        onEvent: (event) => broken.take(event),
        ports: { record: broken },
      });
      expect(await broken.close()).toBeUndefined();
      expect([exit, warnings]).toEqual([0, ['no space is left on the device']]);
    },
  );
});

test('runs that begin at the same moment have records of their own, and ids sort by time', async () => {
  const at = folder();
  const ran = await Promise.all(Array.from({ length: 8 }, () => record(at, ONE, empty)));
  const ids = ran.map(({ id }) => id);
  expect(new Set(ids).size).toBe(8);
  expect(ran[0]!.records.ids()).toEqual([...ids].sort().reverse());
  for (const { id, records } of ran)
    expect(records.events(id).events.at(-1)).toMatchObject({ event: 'run-ended' });
});

test('the oldest runs go: beyond the number, and beyond the size', async () => {
  const at = folder();
  const done: RunSummary[] = [];
  for (let i = 0; i < 4; i++) {
    const { writer } = new Records(at).begin(() => undefined);
    await runChain(ONE, empty, {
      project: KILN,
      id: `r${i}`,
      onEvent: (event) => writer.take(event),
      ports: { record: writer },
    });
    done.push((await writer.close())!);
  }
  // The id of a run is that of its folder.
  const ids = new Records(at).ids();
  new Records(at, { runs: 3, size: 1e9 }).prune(done[3]);
  expect(new Records(at).ids()).toEqual(ids.slice(0, 3));
  new Records(at, {
    runs: 3,
    size: statSync(join(new Records(at).folderOf(ids[0]!), 'events.jsonl')).size * 2.5,
  }).prune(done[3]);
  expect(new Records(at).ids()).toEqual(ids.slice(0, 2));
});

test('the intent of a request that may be sent only once is on disk before it is sent', async () => {
  const at = folder();
  const seen: string[] = [];
  const chain = `chain: Post
steps:
  - call: GET kiln /racks
  - call: POST kiln /pieces
    name: piece
  - call: POST kiln /firings
    name: firing
    idempotency: yes
`;
  const records = new Records(at);
  const { id, writer } = records.begin(() => undefined);
  const path = join(records.folderOf(id), 'events.jsonl');
  await runChain(
    chain,
    () => {
      seen.push(readFileSync(path, 'utf8').trim().split('\n').at(-1) ?? '');
      return { json: '{}' };
    },
    { project: KILN, id, onEvent: (event) => writer.take(event), ports: { record: writer } },
  );
  await writer.close();
  expect(JSON.parse(seen[1]!)).toMatchObject({ event: 'request-sent', step: 'piece', resend: 'never' });
  expect(JSON.parse(seen[2]!)).toMatchObject({ event: 'request-sent', step: 'firing', resend: 'with-key' });
});

describe('a record of version 1, as it was when the version was settled', () => {
  const path = fileURLToPath(new URL('record-version-1.jsonl', import.meta.url));
  const lines = readFileSync(path, 'utf8').trimEnd().split('\n');
  const CHAIN = `chain: Fire some pieces
inputs:
  rack: { default: A3 }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { limit: 2 }
    keep:
      pieces: $.pieces
      began: now()
  - each: piece in pieces
    name: fire
    steps:
      - call: POST kiln /firings
        name: load
        json: { piece: "\${piece.id}" }
        keep: { firing: $.id }
        write:
          to: fired.csv
          row: { piece: "\${piece.id}", firing: "\${firing}" }
        undo:
          - call: DELETE kiln /firings/\${firing}
      - call: GET kiln /firings/\${firing}
        name: look
        retry: { attempts: 2, on: [404], wait: 10ms }
        expect: $.piece == 'p1003'
    gather: { firings: firing }
  - show: \${length(firings)} firings, \${list.status}
results: { firings: firings }
`;

  test('its events are still events', () => {
    for (const line of lines) {
      const event = fromVersion1(JSON.parse(line) as RunEvent);
      expect(eventSchema.parse(event)).toEqual(event);
    }
  });

  test('a name that every object has is taken for no word of a table', () => {
    const strange = JSON.parse(
      '{"event":"constructor","at":1,"toString":"a","outcome":"valueOf"}',
    ) as RunEvent;
    expect(fromVersion1(strange)).toEqual(strange);
  });

  test('it is listed and looked at', () => {
    const at = folder();
    mkdirSync(join(at, '.batharon/runs/4o73az'), { recursive: true });
    copyFileSync(path, join(at, '.batharon/runs/4o73az/events.jsonl'));
    const records = new Records(at);
    expect([...records.list()]).toMatchObject([
      {
        run: '4o73az',
        chain: 'Fire some pieces',
        outcome: 'failed',
        calls: 5,
        failed: 'fire[1].look',
        left: true,
      },
    ]);
    const { open, step } = findStep(records, parsePlace('4o73az:fire[1].look'));
    expect([step.outcome, step.expected[0]?.got, open.value(responseOf(step)!)]).toMatchObject([
      'failed',
      "'p1009'",
      { id: 'f8015', piece: 'p1009', cone: 10 },
    ]);
    const whole = OpenRun.read(records, '4o73az');
    expect([...keptNames(whole.step('list')!).keys()]).toEqual(['pieces', 'began']);
    expect(whole.run.booked.map((one) => one.step)).toEqual(['fire[0].load', 'fire[1].load']);
  });

  test('it is gone on with: marks of steps and all names are as they were', async () => {
    const events = lines.map((line) => fromVersion1(JSON.parse(line) as RunEvent));
    const never = (): boolean => false;
    const { past } = pastOf(
      events,
      { open: () => 'emt_a-token-of-then', body: () => undefined },
      { sent: never, notSent: never },
    );
    const ran = await runChain(
      CHAIN.replace("$.piece == 'p1003'", '$.piece == piece.id'),
      ({ url }) => ({ json: `{"piece":"${url.endsWith('f8014') ? 'p1003' : 'p1009'}"}` }),
      { project: KILN.replace('kiln.example', '127.0.0.1:4799'), past },
    );
    expect(ran.of('run-resumed')[0]!.changed).toEqual(['fire[].look']);
    expect(ran.sent.map(({ method, url }) => `${method} ${url.replace(/^.*\/v1/, '')}`)).toEqual([
      'GET /firings/f8014',
      'GET /firings/f8015',
      'DELETE /firings/f8015',
      'DELETE /firings/f8014',
    ]);
    expect([ran.exit, Object.fromEntries(ran.results), ran.of('shown')[0]?.text]).toEqual([
      0,
      { firings: ['f8014', 'f8015'] },
      '2 firings, 200',
    ]);
  });
});

test('the outline of a run has what stands in no iteration, and of each loop the slowest iterations and the broken ones, whole', async () => {
  const outline = new Outline();
  const full: string[] = [];
  const isFailed = (nth: number): boolean => nth % 9 === 4;
  await runChain(
    `chain: Long
steps:
  - call: GET kiln /list
  - each: n in range(0, 399)
    name: fire
    when-one-fails: continue
    steps:
      - call: GET kiln /look/\${n}
        name: look
        expect: $.ok == true
`,
    (_, nth) => ({ json: `{"ok":${String(!isFailed(nth))}}`, after: (nth * 37) % 400 }),
    {
      project: KILN,
      onEvent: (event) => {
        outline.take(event, [full.length, full.length + 1]);
        full.push(JSON.stringify(event));
      },
    },
  );
  const places = outline.spans().map(([start]) => start);
  expect(places.toSorted((a, b) => a - b)).toEqual(places);
  const lines = places.map((place) => full[place]!);
  const iterationOf = (line: string): number | undefined => {
    const event = JSON.parse(line) as { step?: string; iteration?: number };
    const [, inside] = /^fire\[(\d+)\]/.exec(event.step ?? '') ?? [];
    return event.iteration ?? (inside === undefined ? undefined : Number(inside));
  };
  expect(lines.filter((line) => iterationOf(line) === undefined)).toEqual(
    full.filter((line) => iterationOf(line) === undefined),
  );
  const kept = new Set(lines.flatMap((line) => iterationOf(line) ?? []));
  expect(lines.filter((line) => iterationOf(line) !== undefined)).toEqual(
    full.filter((line) => kept.has(iterationOf(line) ?? -1)),
  );
  const ended = full
    .map((line) => JSON.parse(line) as RunEvent)
    .flatMap((event) => (event.event === 'iteration-ended' ? [event] : []));
  const slowest = ended
    .filter(({ outcome }) => outcome === 'passed')
    .toSorted((a, b) => b.elapsed - a.elapsed)
    .slice(0, 30);
  const broken = ended.filter(({ outcome }) => outcome === 'failed').slice(0, 30);
  expect([...kept].toSorted((a, b) => a - b)).toEqual(
    [...slowest, ...broken].map(({ iteration }) => iteration).toSorted((a, b) => a - b),
  );
});
