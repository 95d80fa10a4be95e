// A model of what a team of any size asks of Redis, with the costs as they are measured here, and held to what 2, 4 and 8 workers take.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { print } from './measure.ts';
import { startServer } from './start.ts';
import { type BenchTeam, hasRedisServer, startTeam, SWEEP } from './team.ts';

/** What is asked of Redis, in microseconds of its time and in commands. */
interface Cost {
  readonly time: number;
  readonly commands: number;
}

interface Costs {
  /** A worker that waits for work, in a second. */
  readonly idle: Cost;
  /** A block of 500 iterations. */
  readonly block: Cost;
  /** A call to a service with a pace. */
  readonly call: Cost;
  /** What one worker takes in memory, in bytes. */
  readonly memory: number;
}

/** What a team does in a second. */
interface Load {
  readonly workers: number;
  readonly calls: number;
  readonly blocks: number;
}

function asked({ idle, block, call }: Costs, { workers, calls, blocks }: Load): Cost {
  const sum = (of: keyof Cost): number => workers * idle[of] + calls * call[of] + blocks * block[of];
  return { time: sum('time'), commands: sum('commands') };
}

const PACED = `chain: Paced
steps:
  - each: n in range(1, 2000)
    spread: 25
    at-once: 8
    steps:
      - call: GET kiln /racks/\${n}
        expect: status == 200
`;
export async function benchScale(): Promise<void> {
  process.stdout.write('\na model of a team of any size\n');
  if (!hasRedisServer) {
    process.stdout.write('  skipped: redis-server is not installed\n');
    return;
  }
  const { url, stop } = await startServer();
  const team = await startTeam(url, { 'paced.chain.yaml': PACED, 'rows.chain.yaml': SWEEP });
  const lines = Array.from({ length: 100_000 }, (_, i) => `${i},piece-${i}`);
  writeFileSync(join(team.folder, 'rows.csv'), `id,name\n${lines.join('\n')}\n`);
  try {
    const costs = await measured(team);
    print('a worker that waits, in a second', words(costs.idle));
    print('a block of 500 iterations', words(costs.block));
    print('a call to a service with a pace', words(costs.call));
    print('a worker in memory', `${(costs.memory / 1000).toFixed(0)} KB`);
    for (const workers of [2, 4, 8]) await held(team, costs, workers);
    process.stdout.write(
      '  a team that sends 400 calls a second in all, and one of 10 calls a second for each worker\n',
    );
    for (const workers of [10, 100, 1000, 10_000]) {
      const [paced, free] = [400, 10 * workers].map((calls) =>
        asked(costs, { workers, calls, blocks: calls / 500 }),
      ) as [Cost, Cost];
      print(
        `  ${workers} workers`,
        `${Math.round(paced.commands)} and ${Math.round(free.commands)} commands a second`,
        `${percent(paced.time)} and ${percent(free.time)} of one Redis, ${Math.round((costs.memory * workers) / 1e6)} MB, a turn each ${((workers / 400) * 1000).toFixed(0)} ms`,
      );
    }
  } finally {
    stop();
    team.stop();
  }
}

/** What Redis has done and taken so far. */
async function seen({ redis }: BenchTeam): Promise<Cost & { readonly at: number; readonly memory: number }> {
  const text = await redis.info();
  const figure = (name: string): number => Number(new RegExp(`${name}:([\\d.]+)`).exec(text)![1]);
  return {
    at: performance.now(),
    time: (figure('used_cpu_user_main_thread') + figure('used_cpu_sys_main_thread')) * 1e6,
    commands: figure('total_commands_processed'),
    memory: figure('used_memory'),
  };
}

interface Taken extends Cost {
  readonly seconds: number;
  readonly memory: number;
}

async function taken(team: BenchTeam, work: () => Promise<unknown>): Promise<Taken> {
  const before = await seen(team);
  await work();
  const after = await seen(team);
  return {
    seconds: (after.at - before.at) / 1000,
    time: after.time - before.time,
    commands: after.commands - before.commands,
    memory: after.memory - before.memory,
  };
}

const ran = (team: BenchTeam, chain: string): Promise<unknown> =>
  new Promise((resolve) => team.start('run', chain, '--spread').on('close', resolve));

/** The costs as one worker, and four that wait, take them. */
async function measured(team: BenchTeam): Promise<Costs> {
  const none = await seen(team);
  const idlers = await team.workers(4);
  const there = await seen(team);
  const waiting = await taken(team, () => new Promise((resolve) => setTimeout(resolve, 8000)));
  idlers();
  const idle = { time: waiting.time / 4 / waiting.seconds, commands: waiting.commands / 4 / waiting.seconds };
  const rest = ({ time, commands, seconds }: Taken): Cost => ({
    time: time - idle.time * seconds,
    commands: commands - idle.commands * seconds,
  });
  await team.redis.flushall();
  const one = await team.workers(1);
  const rows = rest(await taken(team, () => ran(team, 'rows.chain.yaml')));
  const block = { time: rows.time / 200, commands: rows.commands / 200 };
  const paced = rest(await taken(team, () => ran(team, 'paced.chain.yaml')));
  one();
  await team.redis.flushall();
  return {
    idle,
    block,
    // Its small blocks are a part of what it costs.
    call: { time: paced.time / 2000, commands: paced.commands / 2000 },
    memory: (there.memory - none.memory) / 4,
  };
}

async function held(team: BenchTeam, costs: Costs, workers: number): Promise<void> {
  const stop = await team.workers(workers);
  const was = await taken(team, () => ran(team, 'paced.chain.yaml'));
  stop();
  await team.redis.flushall();
  const { seconds } = was;
  const said = asked(costs, { workers, calls: 2000 / seconds, blocks: 0 });
  print(
    `  ${workers} workers: time of Redis, measured / as the model says`,
    (was.time / seconds / said.time).toFixed(2),
    '(0.6 to 1.5)',
  );
}

const words = ({ time, commands }: Cost): string => `${time.toFixed(0)} µs, ${commands.toFixed(1)} commands`;
const percent = (time: number): string => `${(time / 1e4).toFixed(time < 1e5 ? 1 : 0)} %`;
