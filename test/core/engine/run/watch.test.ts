// A chain that is run again from the first step that has changed: what is sent, what is taken from the record.
import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { fromFirstChanged } from '../../../../src/core/record/first-changed.ts';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import type { RunRecord, WireRequest } from '../../../../src/core/ports.ts';
import { KILN, plain, type Reply, runChain } from '../support.ts';

const record: RunRecord = { keep: () => undefined, durable: () => Promise.resolve() };
const sealer = { seal: (text: string) => Buffer.from(text).toString('base64') };
const kept = { open: (sealed: string) => Buffer.from(sealed, 'base64').toString(), body: () => undefined };

const CHAIN = `chain: Watched
steps:
  - call: GET kiln /list
    name: list
    keep: { items: $.items }
  - each: item in items
    name: fire
    at-once: 1
    when-one-fails: continue
    at-least: 1
    steps:
      - call: POST kiln /load/\${item}
        name: load
        keep: { job: $.job }
      - call: GET kiln /job/\${job}
        name: look
        expect: $.done == true
    gather: { jobs: "job ?? 'none'" }
  - when: length(jobs) > 99
    steps:
      - call: GET kiln /never
  - call: PUT kiln /note
    name: note
    json: { jobs: "\${length(jobs)}" }
  - call: GET kiln /note
    name: read
results: { jobs: jobs }
`;

const kiln =
  (brokenAt = '', items = '["a","b"]') =>
  ({ url }: WireRequest): Reply => {
    const [, item] = /\/(?:load|job)\/j?(\w)/.exec(url) ?? [];
    if (url.includes('/list')) return { json: `{"items":${items}}` };
    if (url.includes('/load/')) return { json: `{"job":"j${item!}"}` };
    return { json: `{"done":${String(item !== brokenAt)}}` };
  };

/** Runs the chain, changes it, and runs it again from there; returns what was sent then. */
async function again(
  change: (chain: string) => string,
  setting: {
    readonly brokenAt?: string;
    readonly items?: string;
    readonly send?: boolean;
    readonly whole?: boolean;
  } = {},
) {
  const ports = { project: KILN, ports: { record, sealer } };
  const first = await runChain(CHAIN, kiln(setting.brokenAt), { ...ports, leave: true });
  const past = pastOf(first.events, kept, { sent: () => false, notSent: () => false });
  const text = change(CHAIN);
  const { project } = readProject('batharon.yaml', KILN, undefined, true);
  const { chain } = readChain('test.chain.yaml', text, project);
  const from = fromFirstChanged(chain!, past.past, { whole: setting.whole ?? false });
  const after = await runChain(text, kiln('', setting.items), {
    ...ports,
    leave: true,
    past: from.past,
    ...(setting.send ? {} : { responses: past.responses() }),
  });
  return {
    from: from.first,
    exit: after.exit,
    sent: after.sent.map(({ method, url }) => `${method} ${url.replace(/^.*\/v1/, '')}`),
    problem: after.events.flatMap((event) =>
      event.event === 'step-ended' && event.problem ? [event.problem.code] : [],
    ),
    results: plain(after.results),
  };
}

const JOBS = { jobs: ['ja', 'jb'] };

describe('from the first step that has changed', () => {
  test('nothing has changed: nothing is sent, and the results are there', async () => {
    expect(await again((chain) => chain)).toEqual({
      from: undefined,
      exit: 0,
      sent: [],
      problem: [],
      results: JOBS,
    });
  });

  test('a step in a loop: it and all behind it, in each iteration; what may change something has its recorded response', async () => {
    expect(await again((chain) => chain.replace('$.done == true', '$.done != false'))).toMatchObject({
      from: 'fire[].look',
      exit: 0,
      sent: ['GET /job/ja', 'GET /job/jb', 'GET /note'],
      results: JOBS,
    });
  });

  test('the first step: everything, also where items come in another order', async () => {
    const change = (chain: string): string => chain.replace('GET kiln /list', 'GET kiln /list?sorted');
    expect(await again(change, { items: '["b","a"]' })).toMatchObject({
      from: 'list',
      exit: 0,
      sent: ['GET /list?sorted', 'GET /job/jb', 'GET /job/ja', 'GET /note'],
      results: { jobs: ['jb', 'ja'] },
    });
  });

  test('a new item needs a request that is not sent; with send it is', async () => {
    const change = (chain: string): string => chain.replace('GET kiln /list', 'GET kiln /list?all');
    const without = await again(change, { items: '["a","c"]' });
    expect([without.exit, without.problem, without.sent.includes('POST /load/c')]).toEqual([
      1,
      ['not-sent', 'not-sent'],
      false,
    ]);
    const sending = await again(change, { items: '["a","c"]', send: true });
    expect([sending.exit, sending.sent]).toEqual([
      0,
      [
        'GET /list?all',
        'POST /load/a',
        'GET /job/ja',
        'POST /load/c',
        'GET /job/jc',
        'PUT /note',
        'GET /note',
      ],
    ]);
  });

  test('a request that may change something and is another one now is not sent', async () => {
    const put = await again((chain) => chain.replace('PUT kiln /note', 'PUT kiln /note?all'));
    expect([put.from, put.exit, put.problem, put.sent]).toEqual(['note', 1, ['not-sent'], []]);
  });

  test('a step that is new, and one that was taken away', async () => {
    const more = await again((chain) => chain.replace('results:', '  - call: GET kiln /more\nresults:'));
    expect([more.from, more.sent]).toEqual(['5', ['GET /more']]);
    const less = await again((chain) => chain.replace(/ {2}- call: GET kiln \/note\n {4}name: read\n/, ''));
    expect([less.from, less.exit, less.sent]).toEqual([undefined, 0, []]);
  });

  test('iterations that failed are gone through again, and what stands behind the loop', async () => {
    expect(await again((chain) => chain, { brokenAt: 'b', send: true })).toMatchObject({
      from: '2',
      exit: 0,
      sent: ['GET /job/jb', 'PUT /note', 'GET /note'],
    });
  });

  test('everything, where everything has changed', async () => {
    const all = await again((chain) => chain, { whole: true });
    expect([all.exit, all.sent]).toEqual([0, ['GET /list', 'GET /job/ja', 'GET /job/jb', 'GET /note']]);
  });
});
