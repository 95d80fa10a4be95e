// Random chains of nested loops, groups, repeats and retries on a virtual clock.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { plain, runChain, VirtualClock } from '../support.ts';

const KILN =
  'services:\n  kiln:\n    url: https://kiln.example/v1\n    retry: { attempts: 9, wait: 100ms..2s }\n';

type Part =
  | { readonly type: 'call'; readonly failures: number; readonly after: number }
  | {
      readonly type: 'each';
      readonly items: number;
      readonly atOnce: number;
      readonly parts: readonly Part[];
    }
  | { readonly type: 'group'; readonly parts: readonly Part[] }
  | { readonly type: 'repeat'; readonly iterations: number; readonly parts: readonly Part[] };

const { parts } = fc.letrec<{ part: Part; parts: Part[] }>((tie) => ({
  part: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.record({
      type: fc.constant('call' as const),
      failures: fc.integer({ min: 0, max: 2 }),
      after: fc.integer({ min: 0, max: 300 }),
    }),
    fc.record({
      type: fc.constant('each' as const),
      items: fc.integer({ min: 0, max: 5 }),
      atOnce: fc.integer({ min: 1, max: 4 }),
      parts: tie('parts'),
    }),
    fc.record({ type: fc.constant('group' as const), parts: tie('parts') }),
    fc.record({
      type: fc.constant('repeat' as const),
      iterations: fc.integer({ min: 1, max: 3 }),
      parts: tie('parts'),
    }),
  ),
  parts: fc.array(tie('part'), { minLength: 1, maxLength: 3, depthIdentifier: 'parts' }),
}));

/** The steps of a plan, what they are to send, each once, and how many iterations of each loop go on at once. */
class Plan {
  readonly failures = new Map<string, { failures: number; after: number }>();
  readonly atOnce = new Map<number, number>();
  #serial = 0;

  steps(all: readonly Part[], path: string, indent: string): string {
    return all.map((part) => this.#step(part, path, indent)).join('');
  }

  #step(part: Part, path: string, indent: string): string {
    const id = this.#serial++;
    const inner = `${indent}    `;
    switch (part.type) {
      case 'call':
        this.failures.set(String(id), part);
        return `${indent}- call: GET kiln /c${id}${path}\n`;
      case 'group':
        return `${indent}- name: g${id}\n${indent}  steps:\n${this.steps(part.parts, path, inner)}`;
      case 'each':
        this.atOnce.set(id, part.atOnce);
        return `${indent}- each: n${id} in range(1, ${part.items})\n${indent}  name: l${id}\n${indent}  at-once: ${part.atOnce}\n${indent}  steps:\n${this.steps(part.parts, `${path}/\${n${id}}`, inner)}${indent}  gather: { all${id}: n${id} }\n`;
      case 'repeat':
        return `${indent}- repeat: { until: "i${id} == ${part.iterations}", every: 50ms }\n${indent}  start: { i${id}: "0" }\n${indent}  steps:\n${inner}- keep: { i${id}: "i${id} + 1" }\n${this.steps(part.parts, `${path}/\${i${id}}`, inner)}`;
    }
  }
}

/** The paths of all calls, each as often as it is to succeed. */
function expected(all: readonly Part[], path: string, next: { id: number }): string[] {
  return all.flatMap((part): string[] => {
    const id = next.id++;
    if (part.type === 'call') return [`/c${id}${path}`];
    if (part.type === 'group') return expected(part.parts, path, next);
    const iterations = part.type === 'each' ? part.items : part.iterations;
    const before = next.id;
    const found = Array.from({ length: iterations }, (_, i) => {
      next.id = before;
      return expected(part.parts, `${path}/${i + 1}`, next);
    }).flat();
    if (iterations === 0) expected(part.parts, path, next);
    return found;
  });
}

test('no iteration is lost or done twice, at-once is never exceeded, lists keep their order', async () => {
  await fc.assert(
    fc.asyncProperty(parts, async (all) => {
      const plan = new Plan();
      const steps = plan.steps(all, '', '  ');
      const clock = new VirtualClock();
      const tried = new Map<string, number>();
      const passed: string[] = [];
      const { events, exit } = await runChain(
        `chain: Random\nsteps:\n${steps}`,
        ({ url }) => {
          const path = new URL(url).pathname.slice(3);
          const { failures, after } = plan.failures.get(/^\/c(\d+)/.exec(path)![1]!)!;
          const times = tried.get(path) ?? 0;
          tried.set(path, times + 1);
          if (times < failures)
            return times % 2 === 0 ? { status: 503, after } : { fails: 'connection-reset', after };
          passed.push(path);
          return { json: '{}', after };
        },
        { project: KILN, ports: { clock } },
      );
      expect(exit).toBe(0);
      expect(passed.toSorted()).toEqual(expected(all, '', { id: 0 }).toSorted());
      const running = new Map<string, number>();
      for (const event of events) {
        if (event.event !== 'iteration-began' && event.event !== 'iteration-ended') continue;
        const now = (running.get(event.step) ?? 0) + (event.event === 'iteration-began' ? 1 : -1);
        running.set(event.step, now);
        const id = /l(\d+)$/.exec(event.step)?.[1];
        if (id !== undefined) expect(now).toBeLessThanOrEqual(plan.atOnce.get(Number(id))!);
      }
      expect([...running.values()].every((count) => count === 0)).toBe(true);
    }),
    { numRuns: process.env.PROVE ? 1000 : 60 },
  );
});

test('gathered lists are in the order of the items, at every depth', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.array(fc.integer({ min: 0, max: 400 }), { maxLength: 6 }), { maxLength: 6 }),
      fc.integer({ min: 1, max: 5 }),
      async (times, atOnce) => {
        const { results } = await runChain(
          `chain: Random
inputs: { rows: { kind: json } }
steps:
  - each: row, i in rows
    at-once: ${atOnce}
    steps:
      - each: time, k in row
        at-once: ${atOnce}
        steps:
          - call: GET kiln /\${i}/\${k}/\${time}
            keep: { at: $.at }
        gather: { inner: at }
    gather: { outer: inner }
results: { outer: outer }
`,
          ({ url }) => {
            const [, , i, k, time] = new URL(url).pathname.split('/');
            return { json: `{"at": "${i}.${k}"}`, after: Number(time) };
          },
          { project: KILN, inputs: { rows: times } },
        );
        expect(plain(results)).toEqual({ outer: times.map((row, i) => row.map((_, k) => `${i}.${k}`)) });
      },
    ),
    { numRuns: process.env.PROVE ? 500 : 40 },
  );
});

test('every bound is reached in time', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.integer({ min: 1, max: 600 }),
      fc.integer({ min: 10, max: 20_000 }),
      fc.integer({ min: 0, max: 900 }),
      async (within, every, after) => {
        const clock = new VirtualClock();
        const { exit, of } = await runChain(
          `chain: Random\nsteps:\n  - call: GET kiln /a\n    poll: { until: $.state == 'done', every: ${every}ms..${every * 3}ms, within: ${within}s }\n`,
          () => ({ json: '{"state": "waiting"}', after }),
          { project: KILN, ports: { clock } },
        );
        expect([exit, of('step-ended')[0]!.problem!.code]).toEqual([1, 'poll-out-of-time']);
        const spent = of('run-ended')[0]!.elapsed;
        // It asks once more when the time is up; what is under way then may end.
        expect(spent).toBeGreaterThanOrEqual(within * 1000);
        expect(spent).toBeLessThanOrEqual(within * 1000 + 2 * after + 1);
      },
    ),
    { numRuns: process.env.PROVE ? 500 : 60 },
  );
});
