// What one machine does with what Redis lets go: asks once at a time, keeps to the times, stops waiting where it may not wait.
import { describe, expect, test } from '@jest/globals';
import type { PaceSetting } from '../../../../src/core/chain/project.ts';
import { SharedPacing, shareOf } from '../../../../src/core/engine/pace/shared-pacing.ts';
import type { Passage } from '../../../../src/core/engine/pace/line.ts';
import { Interruption } from '../../../../src/core/engine/time/interruption.ts';
import { ProblemError } from '../../../../src/core/problems.ts';
import type { PaceAnswer, PaceGrant, PaceHeard } from '../../../../src/core/team-ports.ts';
import type { Clock } from '../../../../src/core/ports.ts';

const SETTING: PaceSetting = { rate: { count: 10, period: 1000 }, burst: 1, atOnce: 6 };

/** A clock that goes on only when it is told to. */
class HeldClock implements Clock {
  #time = 0;
  #timers: { readonly at: number; readonly callback: () => void }[] = [];

  now(): number {
    return Date.UTC(2026, 2, 1, 8) + this.#time;
  }

  elapsed(): number {
    return this.#time;
  }

  timer(milliseconds: number, callback: () => void): () => void {
    const timer = { at: this.#time + milliseconds, callback };
    this.#timers.push(timer);
    return () => (this.#timers = this.#timers.filter((one) => one !== timer));
  }

  async advance(milliseconds: number): Promise<void> {
    const until = this.#time + milliseconds;
    for (;;) {
      const [next] = this.#timers.filter(({ at }) => at <= until).sort((a, b) => a.at - b.at);
      if (!next) break;
      this.#timers = this.#timers.filter((one) => one !== next);
      this.#time = next.at;
      next.callback();
      for (let i = 0; i < 20; i++) await Promise.resolve();
    }
    this.#time = until;
  }
}

/** A pacing whose questions are answered by hand. */
function paced(without: 'stop' | 'go-on' = 'stop') {
  const clock = new HeldClock();
  const asked: number[] = [];
  const left: [number, PaceHeard][] = [];
  const told: string[] = [];
  const waiting: { answer: (answer: PaceAnswer) => void; fail: (error: Error) => void }[] = [];
  let changed = (): void => undefined;
  const pacing = new SharedPacing(
    clock,
    {
      without,
      paces: {
        open: (_, callback) => {
          changed = callback;
          return {
            ask: (_setting, wanted) => {
              asked.push(wanted);
              return new Promise((answer, fail) => waiting.push({ answer, fail }));
            },
            withdraw: () => void told.push('withdraw'),
            sent: ({ id }: PaceGrant) => void told.push(`sent ${id}`),
            left: ({ id }: PaceGrant, heard: PaceHeard) => void left.push([id, heard]),
            wait: (milliseconds: number, by: string | undefined) =>
              void told.push(`wait ${milliseconds} ${by}`),
          };
        },
      },
    },
    { name: 'kiln', origin: 'http://kiln.example', setting: SETTING },
    undefined,
  );
  const controller = new AbortController();
  const went: number[] = [];
  const passages: Passage[] = [];
  const failed: string[] = [];
  const enter = (patience = 60_000, signal = controller.signal): void => {
    pacing.enter(patience, Interruption.of(signal), false).then(
      (passage) => {
        went.push(clock.elapsed());
        passages.push(passage);
        passage.sent();
        // The part of one machine is one at once.
        if (without === 'go-on') passage.leave(undefined, true);
      },
      (error: unknown) => failed.push((error as ProblemError).problem.code),
    );
  };
  const settle = async (): Promise<void> => {
    for (let i = 0; i < 20; i++) await Promise.resolve();
  };
  const answer = async (of: Partial<PaceAnswer>): Promise<void> => {
    waiting.shift()!.answer({ granted: [], machines: 2, ...of });
    await settle();
  };
  return {
    answer,
    asked,
    changed: () => changed(),
    clock,
    controller,
    enter,
    failed,
    left,
    pacing,
    passages,
    settle,
    told,
    waiting,
    went,
  };
}

const away = new ProblemError({ code: 'team-away', message: 'away' });

describe('a shared pace', () => {
  test('asks for all that wait, once at a time, and lets each go at its time', async () => {
    const { answer, asked, clock, enter, pacing, settle, went } = paced();
    enter();
    enter();
    enter();
    await settle();
    // The others came while the first question was under way.
    expect([asked, pacing.waiting]).toEqual([[1], 3]);
    await answer({ granted: [{ id: 1, after: 0 }] });
    expect([went, asked]).toEqual([[0], [1, 2]]);
    await answer({
      granted: [
        { id: 2, after: 20 },
        { id: 3, after: 40 },
      ],
    });
    expect(went).toEqual([0]);
    await clock.advance(20);
    await clock.advance(20);
    expect([went, asked]).toEqual([
      [0, 20, 40],
      [1, 2],
    ]);
  });

  test('asks again when it was told to, or when something has changed', async () => {
    const { answer, asked, changed, clock, enter, settle } = paced();
    enter();
    await settle();
    await answer({ wait: 500 });
    await clock.advance(499);
    expect(asked).toEqual([1]);
    await clock.advance(1);
    expect(asked).toEqual([1, 1]);
    // It changes while the question is under way: the answer is old.
    changed();
    await answer({ wait: 500 });
    expect(asked).toEqual([1, 1, 1]);
    await answer({});
    changed();
    await settle();
    expect(asked).toHaveLength(4);
  });

  test('who is interrupted waits no longer, and gives back what comes too late', async () => {
    const { answer, controller, enter, failed, left, settle, told } = paced();
    enter();
    await settle();
    controller.abort(new ProblemError({ code: 'interrupted', message: 'interrupted' }));
    await settle();
    expect([failed, told]).toEqual([['interrupted'], ['withdraw']]);
    await answer({ granted: [{ id: 7, after: 0 }] });
    expect(left).toEqual([[7, { wasSent: false }]]);
  });

  test('who may not wait as long as the service says is refused, whichever machine it said it to', async () => {
    const { answer, enter, failed, pacing, settle } = paced();
    enter(5000);
    enter(20_000);
    await settle();
    await answer({ blocked: { wait: 10_000, by: 'Retry-After: 10' }, wait: 10_000 });
    expect([failed, pacing.retryAfterFor, pacing.waiting]).toEqual([
      ['retry-after-too-long'],
      { wait: 10_000, by: 'Retry-After: 10' },
      1,
    ]);
    // So is who comes later.
    enter(5000);
    await settle();
    expect([failed, pacing.waiting]).toEqual([['retry-after-too-long', 'retry-after-too-long'], 1]);
  });

  test('tells what the service says: how much is left, and to wait', async () => {
    const { answer, enter, left, passages, pacing, settle, told } = paced();
    enter();
    await settle();
    await answer({ granted: [{ id: 1, after: 0 }] });
    const response = (status: number, headers: [string, string][]) => ({
      status,
      headers,
      body: new Uint8Array(),
      phases: {},
    });
    passages[0]!.leave(response(200, [['ratelimit', '"burst";r=3;t=5']]), true);
    passages[0]!.leave(response(200, []), true);
    passages[0]!.leave(response(429, [['ratelimit', '"burst";r=0;t=5']]), true);
    passages[0]!.leave(response(200, [['ratelimit', '"day";r=0;t=4000']]), true);
    passages[0]!.leave(undefined, false);
    expect(left.map(([, heard]) => heard)).toEqual([
      { wasSent: true, left: { requests: 3, resets: 5000 } },
      { wasSent: true, left: 'unlimited' },
      { wasSent: true },
      { wasSent: true, left: 'unlimited' },
      { wasSent: false },
    ]);
    pacing.wait({ wait: 3000, by: 'Retry-After: 3' });
    expect(told).toEqual(['sent 1', 'wait 3000 Retry-After: 3']);
  });

  test('without the others it stops', async () => {
    const { enter, failed, settle, waiting } = paced();
    enter();
    await settle();
    waiting.shift()!.fail(away);
    await settle();
    expect(failed).toEqual(['team-away']);
  });

  test('or goes on by its own part, and with them again once they are back', async () => {
    const { answer, asked, clock, enter, failed, settle, waiting, went } = paced('go-on');
    enter();
    await settle();
    await answer({ machines: 5, granted: [{ id: 1, after: 0 }] });
    for (let i = 0; i < 3; i++) enter();
    await settle();
    waiting.shift()!.fail(away);
    await settle();
    // Two more came while that was asked.
    while (waiting.length > 0) {
      waiting.shift()!.fail(away);
      await settle();
    }
    await clock.advance(1700);
    // Ten a second for five machines are two a second.
    expect([went.length, failed]).toEqual([4, []]);
    expect(went.at(-1)! - went.at(1)!).toBeGreaterThanOrEqual(1000);
    enter();
    await settle();
    const before = asked.length;
    await answer({ granted: [{ id: 9, after: 0 }] });
    expect([went.length, asked.length]).toEqual([5, before]);
  });

  test('a part is never nothing', () => {
    expect(shareOf(SETTING, 100)).toEqual({ burst: 1, rate: { count: 0.1, period: 1000 }, atOnce: 1 });
  });
});
