// A loop whose iterations are given away comes to what it comes to here, however it is cut, and whichever workers are lost when.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readBlock, readBlockResult, writeBlock, writeBlockResult } from '../../../../src/api/work-notes.ts';
import { carryOutBlock } from '../../../../src/core/engine/run/block.ts';
import type { Past } from '../../../../src/core/engine/past-run.ts';
import type { RunSetup, Spread } from '../../../../src/core/engine/spread.ts';
import type { RunEvent } from '../../../../src/core/events.ts';
import { ProblemError } from '../../../../src/core/problems.ts';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import { KILN, plain, type Ran, type Reply, runChain, type RunSetting } from '../support.ts';

const sealing = {
  seal: (text: string) => Buffer.from(text).toString('base64'),
  open: (sealed: string) => Buffer.from(sealed, 'base64').toString(),
};
const recording = {
  // Each key is another one.
  chance: { next: () => Math.random() },
  record: { keep: () => undefined, durable: () => Promise.resolve() },
  sealer: sealing,
  opener: sealing,
};

interface Plan {
  readonly width: number;
  /** After how many events each worker is lost, one after the other; then none is. */
  readonly losses: readonly number[];
  /** Of a worker that is lost nobody hears what it has sent last. */
  readonly onLost?: () => void;
}

/** Workers in this process: what goes to them and comes from them is written down and read again. */
function workers({ width, losses }: Plan, ended: string[] = []): NonNullable<RunSetting['spread']> {
  const left = [...losses];
  return ({ chain, project, ports }): Spread => {
    let setup: RunSetup;
    const halts = new Map<string, AbortController>();
    const halted = (loop: string): AbortController => {
      const one = halts.get(loop) ?? new AbortController();
      halts.set(loop, one);
      return one;
    };
    return {
      width,
      whenWider: () => () => undefined,
      begin: (given) => (setup = given),
      halt: (loop) => halted(loop).abort(),
      carryOut: async (given, giver) => {
        const told: RunEvent[] = [];
        const text = writeBlock(given);
        for (;;) {
          const block = readBlock(text);
          let until = left.shift() ?? Infinity;
          const gone = new AbortController();
          const lost = (): never => {
            throw new ProblemError({ code: 'interrupted', message: 'the worker was lost' });
          };
          const isLost = (): boolean => {
            if (until-- > 0) return false;
            gone.abort(new ProblemError({ code: 'interrupted', message: 'the worker was lost' }));
            return true;
          };
          const past = pastOf(
            told,
            { open: sealing.open, body: () => undefined },
            { sent: () => false, notSent: () => false },
          ).past;
          const result = await carryOutBlock(
            chain,
            project,
            {
              ...ports,
              ...recording,
              // What is not told is not sent.
              record: {
                keep: () => undefined,
                durable: () => (until <= 0 ? Promise.resolve().then(lost) : Promise.resolve()),
              },
              transport: {
                send: (request, watch) =>
                  until <= 0 ? Promise.resolve().then(lost) : ports.transport.send(request, watch),
              },
            },
            {
              options: {
                id: 'test',
                inputs: setup.inputs,
                signal: gone.signal,
                emit: (event) => {
                  if (isLost()) return;
                  told.push(event);
                  giver.take(event);
                },
                writeRow: (order) => giver.write(order),
                past: {
                  ...past,
                  started: setup.started,
                  values: setup.values,
                  learned: [...block.learned, ...past.learned],
                  cookies: [...block.cookies, ...past.cookies],
                } satisfies Past,
              },
              block,
              halt: halted(block.loop).signal,
            },
          );
          if (until <= 0 && gone.signal.aborted) continue;
          ended.push(block.loop);
          return readBlockResult(writeBlockResult(result));
        }
      },
    };
  };
}

const chain = (keys: string, step = ''): string => `chain: Random
inputs: { rows: { kind: json }, factor: { kind: number, default: "\${2 + 1}" } }
steps:
  - name: first
    call: GET kiln /first
    keep: { hand: $.hand, next: $.next }
  - each: row, i in rows
    name: sweep
    at-once: 3
    when-one-fails: continue
    ${keys}
    gather: { ids: made.id, sums: i * factor, hands: hand }
    steps:
      - name: post
        call: POST kiln /jobs/\${row}
        json: { hand: '\${hand}' }
        ${step}
        keep: { made: $ }
      - name: look
        call: GET kiln /look/\${made.id}
        expect: row % 7 != 3
      - call: GET kiln \${next}
    on-fail: continue
results: { ids: ids, sums: sums, hands: hands, ok: "sweep.iterations[?@.ok == true].item" }
`;

/** A service that counts what is posted; again with its key it is not counted. */
function service(): {
  script: (request: Parameters<Parameters<typeof runChain>[1]>[0]) => Reply;
  posted: Map<string, number>;
} {
  const posted = new Map<string, number>();
  const keys = new Map<string, string>();
  return {
    posted,
    script: ({ url, method, headers }) => {
      const { pathname } = new URL(url);
      if (pathname.endsWith('/first')) return { json: '{"hand": "left", "next": "deep/er"}' };
      const after = (pathname.length * 7) % 40;
      if (method !== 'POST') return { json: '{}', after };
      const key = headers.find(([name]) => name === 'Idempotency-Key')?.[1];
      const row = pathname.slice(pathname.lastIndexOf('/') + 1);
      if (key === undefined || !keys.has(key)) posted.set(row, (posted.get(row) ?? 0) + 1);
      if (key !== undefined) keys.set(key, row);
      return { json: `{"id": "job-${row}"}`, after };
    },
  };
}

const told = ({ events }: Ran): string[] =>
  events
    .filter(({ event }) => !['waiting', 'learned', 'run-began', 'run-ended'].includes(event))
    .map(
      (event) => `${event.event} ${'step' in event ? event.step! : ''} ${'name' in event ? event.name : ''}`,
    )
    .sort();

describe('a loop that is given away', () => {
  test('comes to the same, however it is cut', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 23 }),
        fc.integer({ min: 1, max: 8 }),
        fc.integer({ min: 1, max: 4 }),
        async (length, size, width) => {
          const rows = Array.from({ length }, (_, i) => i + 1);
          const here = service();
          const alone = await runChain(chain(''), here.script, {
            project: KILN,
            inputs: { rows },
            ports: recording,
          });
          const there = service();
          const ended: string[] = [];
          let durable = 0;
          const spread = await runChain(chain(`spread: ${size}`), there.script, {
            project: KILN,
            inputs: { rows },
            ports: {
              ...recording,
              record: {
                keep: () => undefined,
                durable: () => {
                  durable++;
                  return Promise.resolve();
                },
              },
            },
            spread: workers({ width, losses: [] }, ended),
          });
          expect([spread.exit, plain(spread.results)]).toEqual([alone.exit, plain(alone.results)]);
          expect(told(spread)).toEqual(told(alone));
          const urls = ({ sent }: Ran): string[] => sent.map(({ url }) => url).sort();
          expect(urls(spread)).toEqual(urls(alone));
          expect(spread.of('run-ended')[0]!.calls).toBe(alone.of('run-ended')[0]!.calls);
          const blocks = Math.ceil(length / size);
          // What a block is made of is on disk before it is given.
          expect([there.posted, ended.length, durable]).toEqual([here.posted, blocks, blocks]);
        },
      ),
      { numRuns: process.env.PROVE ? 400 : 25 },
    );
  });

  test('loses nothing and does nothing twice, whichever workers are lost when', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: 14 }),
        fc.integer({ min: 1, max: 6 }),
        fc.array(fc.integer({ min: 1, max: 60 }), { maxLength: 8 }),
        fc.boolean(),
        async (length, size, losses, isKeyed) => {
          const rows = Array.from({ length }, (_, i) => i + 1);
          const { script, posted } = service();
          const { results, of } = await runChain(
            chain(`spread: ${size}`, isKeyed ? 'idempotency: yes' : ''),
            script,
            {
              project: KILN,
              inputs: { rows },
              ports: recording,
              spread: workers({ width: 2, losses }),
            },
          );
          expect([...posted.values()].every((times) => times === 1)).toBe(true);
          const unknown = of('step-ended').filter(({ problem }) => problem?.code === 'outcome-unknown');
          const { sums } = plain(results) as { sums: number[] };
          if (isKeyed) {
            expect([posted.size, unknown]).toEqual([length, []]);
            expect(sums).toEqual(rows.flatMap((row, i) => (row % 7 === 3 ? [] : [i * 3])));
          } else {
            // What is not known is said, and everything else is done.
            const sure = rows.filter((_, i) => !unknown.some(({ step }) => step === `sweep[${i}].post`));
            expect(sure.every((row) => posted.has(String(row)))).toBe(true);
          }
        },
      ),
      { numRuns: process.env.PROVE ? 1500 : 60 },
    );
  });

  test('what fails first counts, and what is enough ends it', async () => {
    const { script } = service();
    const of = (keys: string, gathered = 'n'): string =>
      `chain: Ends\nsteps:\n  - each: n in range(1, 60)\n    spread: 4\n${keys}    gather: { seen: ${gathered} }\n    steps:\n      - call: GET kiln /look/\${n}\n`;
    const failing = await runChain(
      `${of('').trimEnd()}\n        expect: n != 6 && n != 2\n  - call: GET kiln /after\n`,
      script,
      {
        project: KILN,
        ports: recording,
        spread: workers({ width: 3, losses: [] }),
      },
    );
    const [ended] = failing.of('step-ended').filter(({ step }) => step === '0');
    expect([failing.exit, failing.of('run-ended')[0]!.outcome, failing.sent.length < 40]).toEqual([
      1,
      'failed',
      true,
    ]);
    expect(ended!.iterations!.failed).toBeGreaterThan(0);
    expect(failing.sent.some(({ url }) => url.endsWith('/after'))).toBe(false);
    const enough = await runChain(of('    until: n == 6\n'), script, {
      project: KILN,
      ports: recording,
      spread: workers({ width: 3, losses: [] }),
    });
    expect([enough.exit, enough.sent.length < 40, enough.sent.length >= 6]).toEqual([0, true, true]);
  });

  test('undo of what workers did is booked with the run, last first', async () => {
    const { script } = service();
    const { sent } = await runChain(
      `chain: Undone
steps:
  - each: n in range(1, 5)
    spread: 2
    steps:
      - call: POST kiln /jobs/\${n}
        json: {}
        keep: { made: $.id }
        undo:
          - call: DELETE kiln /jobs/\${made}
`,
      script,
      { project: KILN, ports: recording, spread: workers({ width: 1, losses: [7] }) },
    );
    const deleted = sent
      .filter(({ method }) => method === 'DELETE')
      .map(({ url }) => url.slice(url.lastIndexOf('/') + 1));
    expect(deleted).toHaveLength(
      new Set(sent.filter(({ method }) => method === 'POST').map(({ url }) => url)).size,
    );
    expect(deleted[0]).toBe('job-5');
  });
});
