// Going on with a run: what passed is not sent again, what is not known is asked, names and lists are there again.
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import type { RunEvent } from '../../../../src/core/events.ts';
import { pastOf, type Undecided } from '../../../../src/core/record/past-of-events.ts';
import type { Rows, RunRecord, WireRequest } from '../../../../src/core/ports.ts';
import { putRow } from '../../../../src/io/files/row-files.ts';
import { localRows } from '../../../../src/io/files/rows.ts';
import { bodyText, KILN, plain, type Ran, type Reply, runChain } from '../support.ts';

const record: RunRecord = { keep: () => undefined, durable: () => Promise.resolve() };
const sealer = { seal: (text: string) => Buffer.from(text).toString('base64') };
const kept = {
  open: (sealed: string) => Buffer.from(sealed, 'base64').toString(),
  body: () => undefined,
};

type Script = (request: WireRequest, nth: number) => Reply;

/** Runs a chain, cuts its events off, and goes on with another form of it. */
async function twice(
  first: { readonly chain: string; readonly script: Script; readonly upTo?: (event: RunEvent) => boolean },
  second: {
    readonly chain?: string;
    readonly script: Script;
    readonly sent?: boolean;
    readonly notSent?: boolean;
  },
): Promise<{ before: Ran; after?: Ran; asked: readonly Undecided[] }> {
  const project = `${KILN}secrets: { key: env KEY }\n`;
  const setting = { project, secrets: { key: 'clay-secret' }, ports: { record, sealer } };
  const before = await runChain(first.chain, first.script, setting);
  const cut = first.upTo ? before.events.findIndex(first.upTo) + 1 : before.events.length;
  const { past, undecided } = pastOf(before.events.slice(0, cut), kept, {
    sent: () => second.sent ?? false,
    notSent: () => second.notSent ?? false,
  });
  if (undecided.length > 0) return { before, asked: undecided };
  const after = await runChain(second.chain ?? first.chain, second.script, { ...setting, past });
  return { before, after, asked: [] };
}

const paths = ({ sent }: Ran): string[] =>
  sent.map(({ method, url }) => `${method} ${url.replace(/^.*\/v1/, '')}`);

const LOOP = `chain: Loop
steps:
  - call: GET kiln /list
    name: list
    keep: { began: now(), items: $.items }
  - each: item in items
    name: fire
    at-once: 1
    steps:
      - call: POST kiln /load/\${item}
        name: load
        keep: { job: $.job }
      - call: GET kiln /job/\${job}
        name: look
        expect: $.done == true
    gather: { jobs: job }
results: { jobs: jobs, status: list.status, early: began <= now() }
`;

const kiln =
  (brokenAt = '') =>
  ({ url }: WireRequest): Reply => {
    const [, item] = /\/(?:load|job)\/j?(\w)$/.exec(url) ?? [];
    if (url.endsWith('/list')) return { json: '{"items":["a","b","c","d"]}' };
    if (url.includes('/load/')) return { json: `{"job":"j${item!}"}` };
    return { json: `{"done":${String(item !== brokenAt)}}` };
  };

describe('a run that goes on', () => {
  test('sends what is missing, and nothing else; lists and names are whole', async () => {
    const { after } = await twice({ chain: LOOP, script: kiln('c') }, { script: kiln() });
    expect(paths(after!)).toEqual(['GET /job/jc', 'POST /load/d', 'GET /job/jd']);
    expect([after!.exit, plain(after!.results)]).toEqual([
      0,
      { jobs: ['ja', 'jb', 'jc', 'jd'], status: 200, early: true },
    ]);
    expect(after!.of('passed-before')).toMatchObject([{ step: 'list' }, { step: 'fire', iterations: 2 }]);
  });

  test('a change of manner is no change; what has changed is said and carried out anew where that is safe', async () => {
    const manner = LOOP.replace('at-once: 1', 'at-once: 2').replace(
      'name: look',
      'name: look\n        timeout: 5s',
    );
    const one = await twice({ chain: LOOP, script: kiln('c') }, { chain: manner, script: kiln() });
    expect([one.after!.of('run-resumed')[0]!.changed, paths(one.after!).length]).toEqual([[], 3]);
    const other = LOOP.replace('GET kiln /list', 'GET kiln /list?all');
    const two = await twice(
      { chain: LOOP, script: kiln('c') },
      {
        chain: other,
        script: (request) => kiln()({ ...request, url: request.url.replace('?all', '') }),
      },
    );
    expect(two.after!.of('run-resumed')[0]!.changed).toEqual(['list']);
    expect(paths(two.after!)[0]).toBe('GET /list?all');
    expect(paths(two.after!)).toHaveLength(4);
  });

  test("items that have changed can't be gone on with", async () => {
    const { after } = await twice(
      { chain: LOOP, script: kiln('c') },
      {
        chain: LOOP.replace('each: item in items', "each: item in ['x', 'y', 'z']"),
        script: kiln(),
      },
    );
    expect([after!.exit, paths(after!)]).toEqual([1, []]);
    expect(after!.of('step-ended').at(-1)!.problem).toMatchObject({ code: 'cannot-resume' });
  });
});

const POST = `chain: Post
steps:
  - call: POST kiln /pieces
    name: piece
    json: { name: bowl, key: "\${secret.key}" }
    keep: { id: $.id, token: $.access_token }
    expect: $.cone == 6
  - call: GET kiln /pieces/\${id}
    headers: { Token: "\${token}" }
`;
const response = { status: 201, json: '{"id":"p1","cone":7,"access_token":"kiln-token-1"}' };

describe('a request that may be sent only once', () => {
  const isSent = (event: RunEvent): boolean => event.event === 'request-sent';

  test('that was answered is not sent again: its response is looked at with the chain as it now is', async () => {
    const { after, before } = await twice(
      { chain: POST, script: () => response },
      {
        chain: POST.replace('cone == 6', 'cone == 7'),
        script: () => ({ json: '{}' }),
      },
    );
    expect([before.exit, after!.exit, paths(after!)]).toEqual([1, 0, ['GET /pieces/p1']]);
    // What was masked in the record is there again, and masked again.
    expect(after!.sent[0]!.headers).toContainEqual(['Token', 'kiln-token-1']);
    expect(JSON.stringify(after!.events)).not.toMatch(/kiln-token-1|clay-secret/);
  });

  test('that was answered and is another one now is refused', async () => {
    const { after } = await twice(
      { chain: POST, script: () => response },
      {
        chain: POST.replace('name: bowl', 'name: jar'),
        script: () => response,
      },
    );
    expect([after!.exit, paths(after!)]).toEqual([3, []]);
    expect(after!.of('run-ended')[0]!.exit).toBe(3);
    expect(after!.of('step-ended')[0]!.problem).toMatchObject({ code: 'sent-before' });
  });

  test('that was interrupted is asked about; --not-sent sends it, --sent goes on without its response', async () => {
    const first = { chain: POST, script: () => response, upTo: isSent };
    const script = (): Reply => ({ status: 201, json: '{"id":"p2","cone":6,"access_token":"kiln-token-2"}' });
    expect((await twice(first, { script })).asked).toMatchObject([{ step: 'piece' }]);
    const again = await twice(first, { script, notSent: true });
    expect([again.after!.exit, paths(again.after!)]).toEqual([0, ['POST /pieces', 'GET /pieces/p2']]);
    const taken = await twice(first, { script, sent: true });
    expect(paths(taken.after!)).toEqual([]);
    expect(taken.after!.of('step-ended').map(({ outcome }) => outcome)).toEqual(['passed', 'skipped']);
  });

  test.each([
    ['500', { status: 500, json: '{}' }, 1],
    ['a time limit', { json: '{}', after: 100_000 }, 1],
    ['422', { status: 422, json: '{}' }, 0],
    ['429', { status: 429, json: '{}' }, 0],
    ['a refused connection', { fails: 'connection-refused' as const }, 0],
  ])(
    'after %s it is asked about, or sent again where it was certainly not processed',
    async (_, reply, asked) => {
      const { after, asked: questions } = await twice(
        { chain: POST, script: () => reply },
        {
          chain: POST.replace('cone == 6', 'cone == 7'),
          script: () => response,
        },
      );
      expect(questions).toHaveLength(asked);
      if (after) expect([after.exit, paths(after)]).toEqual([0, ['POST /pieces', 'GET /pieces/p1']]);
    },
  );

  test('with a key it is sent again with the same key', async () => {
    const keyed = POST.replace('name: piece', 'name: piece\n    idempotency: yes');
    const { after, before } = await twice(
      { chain: keyed, script: () => response, upTo: isSent },
      { script: () => response },
    );
    const key = ({ sent }: Ran): unknown => sent[0]!.headers.find(([name]) => /idempotency/i.test(name));
    expect(key(after!)).toEqual(key(before));
    expect(bodyText(after!.sent[0]!)).toBe(bodyText(before.sent[0]!));
  });
});

test('undo that was booked before is carried out at the end, once; a repeat goes on where it was', async () => {
  const chain = `chain: Undo
steps:
  - repeat: { until: count == 4, up-to: 10 }
    start: { count: "0" }
    steps:
      - call: POST kiln /made/\${count}
        name: made
        keep: { count: count + 1, last: $.id }
        undo: [{ call: "DELETE kiln /made/\${last}" }]
results: { count: count }
`;
  const script = ({ url, method }: WireRequest): Reply =>
    method === 'DELETE' ? { status: 204 } : { json: `{"id":"m${url.at(-1)!}"}` };
  let ended = 0;
  const { after } = await twice(
    { chain, script, upTo: (event) => event.event === 'iteration-ended' && ++ended === 2 },
    { script },
  );
  expect([after!.exit, plain(after!.results)]).toEqual([0, { count: 4 }]);
  expect(paths(after!)).toEqual([
    'POST /made/2',
    'POST /made/3',
    'DELETE /made/m3',
    'DELETE /made/m2',
    'DELETE /made/m1',
    'DELETE /made/m0',
  ]);
});

describe('rows of a run that goes on', () => {
  const NOTED = `chain: Noted
steps:
  - each: item in ['a', 'b', 'a']
    name: fire
    at-once: 1
    steps:
      - call: POST kiln /load/\${item}
        name: load
        write:
          to: loaded.csv
          row: { item: "\${item}", job: "\${$.job}", at: "\${now()}" }
      - call: GET kiln /job/j\${item}
        write:
          to: jobs.jsonl
          row: { item: "\${item}", done: "\${$.done}" }
          one-row-per: item
  - write: { to: loaded.csv, row: { item: all } }
`;
  const FILES = ['loaded.csv', 'jobs.jsonl'];

  test('each is there once, wherever the run was interrupted', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'batharon-rows-'));
    const look = (): string[] =>
      FILES.map((name) => (existsSync(join(folder, name)) ? readFileSync(join(folder, name), 'utf8') : ''));
    const lay = (texts: readonly string[]): void =>
      texts.forEach((text, i) => writeFileSync(join(folder, FILES[i]!), text));
    const rows: Rows = {
      ...localRows,
      write: (path, _, row) => putRow(join(folder, path), path, row),
    };
    const seen: string[][] = [];
    const setting = { project: KILN, ports: { record, sealer, rows } };
    const first = await runChain(NOTED, kiln(), { ...setting, onEvent: () => seen.push(look()) });
    // Times differ from run to run.
    const timeless = (texts: readonly string[]): string[] =>
      texts.map((text) => text.replace(/2026-\S+?Z/g, 'then'));
    const whole = look();
    expect([first.exit, whole[0]!.split('\n').length]).toEqual([0, 6]);
    for (let cut = 1; cut < first.events.length; cut++) {
      // It was interrupted right behind the event, or right before the next one.
      for (const files of [seen[cut - 1]!, seen[cut]!]) {
        lay(files);
        const { past } = pastOf(first.events.slice(0, cut), kept, { sent: () => false, notSent: () => true });
        const after = await runChain(NOTED, kiln(), { ...setting, past });
        expect([cut, after.exit, timeless(look())]).toEqual([cut, 0, timeless(whole)]);
      }
    }
  });

  test('a request that was said to have been processed has its row, where that needs no response', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'batharon-rows-'));
    const rows: Rows = { ...localRows, write: (path, _, row) => putRow(join(folder, path), path, row) };
    const chain = (row: string): string => `chain: Noted
steps:
  - call: POST kiln /load/a
    write: { to: loaded.csv, row: { item: a, job: "${row}" } }
    undo:
      - call: DELETE kiln /load/a
`;
    const run = async (text: string) => {
      const setting = { project: KILN, ports: { record, sealer, rows } };
      const before = await runChain(text, () => ({ fails: 'connection-reset' }), setting);
      const { past } = pastOf(before.events, kept, { sent: () => true, notSent: () => false });
      return runChain(text, () => ({}), { ...setting, past });
    };
    const known = await run(chain('x'));
    expect([known.exit, known.of('row-written')[0]?.nth]).toEqual([0, 1]);
    // What was processed is taken back at the end.
    expect(paths(known)).toEqual(['DELETE /load/a']);
    const unknown = await run(chain('${$.job}'));
    expect(unknown.of('warning')[0]?.message).toMatch(/its row was not written, without its response/);
    expect(readFileSync(join(folder, 'loaded.csv'), 'utf8')).toBe('item,job\na,x\n');
  });
});
