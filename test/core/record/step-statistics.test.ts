import { expect, test } from '@jest/globals';
import type { RunEvent } from '../../../src/core/events.ts';
import { StepStatistics } from '../../../src/core/record/step-statistics.ts';

const place = { file: 'a.chain.yaml', line: 1, column: 1 };
const began = (step: string): RunEvent =>
  ({ event: 'step-began', at: 0, step, title: `GET /${step}`, place }) as unknown as RunEvent;
const ended = (step: string, outcome: string, elapsed: number, message?: string): RunEvent =>
  ({
    event: 'step-ended',
    at: 0,
    step,
    outcome,
    elapsed,
    ...(message === undefined ? {} : { problem: { code: 'not-as-expected', message } }),
  }) as unknown as RunEvent;

test('steps are counted over runs: iterations together, skipped ones not, times by the nearest rank', () => {
  const statistics = new StepStatistics();
  let runs = 0;
  const take = (file: string, event: RunEvent): void =>
    statistics.take({ file: `${file}.chain.yaml`, run: `r${runs}` }, event);
  for (let run = 0; run < 20; run++) {
    runs = run;
    take('a', began('list'));
    take('a', ended('list', run === 3 ? 'failed' : 'passed', run + 1, run === 3 ? 'no' : undefined));
    for (const i of [0, 1]) take('a', ended(`loop[${i}].one`, 'passed', 5));
    take('a', ended('later', 'skipped', 0));
    take('b', ended('list', 'failed', 1, run % 2 === 0 ? 'even' : 'odd'));
  }
  take('b', ended('list', 'failed', 1, 'odd'));
  expect(statistics.all()).toEqual([
    {
      file: 'a.chain.yaml',
      address: 'list',
      title: 'GET /list',
      times: 20,
      failed: 1,
      reasons: [['no', 1]],
      median: 10,
      percentile95: 19,
      firstFailed: 'r3',
    },
    {
      file: 'a.chain.yaml',
      address: 'loop[].one',
      title: 'loop[].one',
      times: 40,
      failed: 0,
      reasons: [],
      median: 5,
      percentile95: 5,
    },
    {
      file: 'b.chain.yaml',
      address: 'list',
      title: 'list',
      times: 21,
      failed: 21,
      reasons: [
        ['odd', 11],
        ['even', 10],
      ],
      median: 1,
      percentile95: 1,
      firstFailed: 'r0',
    },
  ]);
});

test('what is kept of a step does not grow without end', () => {
  const statistics = new StepStatistics();
  for (let i = 0; i < 30_000; i++)
    statistics.take({ file: 'a', run: 'r' }, ended('list', 'failed', i, `why ${i}`));
  const [list] = statistics.all();
  expect([list!.times, list!.reasons.length, list!.median]).toEqual([30_000, 20, 24_999]);
});

test('a step that has become much slower is told so, from enough times on', () => {
  const slower = (times: readonly number[]): unknown => {
    const statistics = new StepStatistics();
    for (const time of times) statistics.take({ file: 'a', run: 'r' }, ended('list', 'passed', time));
    return statistics.all()[0]!.slower;
  };
  const times = (count: number, time: number): number[] => Array.from({ length: count }, () => time);
  expect(slower([...times(5, 100), ...times(5, 200)])).toEqual({ before: 100, after: 200 });
  expect(slower([...times(4, 100), ...times(4, 200)])).toBeUndefined();
  expect(slower([...times(5, 1), ...times(5, 15)])).toBeUndefined();
  expect(slower([...times(5, 100), ...times(5, 140)])).toBeUndefined();
  // The oldest times are those that are no longer kept.
  expect(slower([...times(9000, 500), ...times(6000, 100), ...times(6000, 200)])).toEqual({
    before: 100,
    after: 200,
  });
});
