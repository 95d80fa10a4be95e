// A chain of 200 calls over loopback, without start-up, against a script that does the same: each in a process of its own,
// as people run them, and the service in a third one.
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import type { Round } from './calls-process.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const CALLS = 200;
const PAIRS = 21;
/** Rounds until V8 has optimised both; what they take is told apart. */
const WARM = 40;
const COLD = 11;

export async function benchCalls(): Promise<void> {
  process.stdout.write(`\n${CALLS} calls one after the other, without start-up, median of ${PAIRS} pairs\n`);
  const { url, stop } = await startServer();
  const chain = startProcess(url);
  const script = startProcess(url);
  const cold: number[] = [];
  const ratios: number[] = [];
  const overheads: number[] = [];
  const alone: number[] = [];
  for (let i = -WARM; i < PAIRS; i++) {
    const mine = await chain.round('chain');
    const theirs = await script.round('script');
    if (i < COLD - WARM) cold.push(mine / theirs);
    if (i < 0) continue;
    ratios.push(mine / theirs);
    overheads.push(((mine - theirs) * 1000) / CALLS);
  }
  for (let i = -WARM; i < PAIRS; i++) {
    const took = await chain.round('engine alone');
    if (i >= 0) alone.push((took * 1000) / CALLS);
  }
  print('against the script', `${median(ratios).toFixed(2)}×`, '(at most 1.25×)');
  print(`the same in the first ${COLD} rounds, while V8 still optimises`, `${median(cold).toFixed(2)}×`);
  print('more than the script, a step', `${median(overheads).toFixed(0)} µs`);
  print(
    'beside the request, a step (a transport that answers at once)',
    `${median(alone).toFixed(0)} µs`,
    '(at most 100 µs)',
  );
  for (const end of [chain.stop, script.stop, stop]) end();
}

function startProcess(url: string): { round: (what: Round) => Promise<number>; stop: () => void } {
  const child = fork(join(process.env.BATHARON_BENCH!, 'calls-process.cjs'), [url, String(CALLS)], {
    execArgv: [],
  });
  return {
    round: async (what) => {
      child.send(what);
      const [took] = (await once(child, 'message')) as [number];
      return took;
    },
    stop: () => child.kill(),
  };
}
