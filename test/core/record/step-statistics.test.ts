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
  const take = (file: string, event: RunEvent): void => statistics.take(`${file}.chain.yaml`, event);
  for (let run = 0; run < 20; run++) {
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
    },
  ]);
});

test('what is kept of a step does not grow without end', () => {
  const statistics = new StepStatistics();
  for (let i = 0; i < 30_000; i++) statistics.take('a', ended('list', 'failed', i, `why ${i}`));
  const [list] = statistics.all();
  expect([list!.times, list!.reasons.length, list!.median]).toEqual([30_000, 20, 24_999]);
});
