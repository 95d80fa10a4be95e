import { type Chain, type Step, stepsIn } from '../core/chain/model.ts';
import { needsOf } from '../core/engine/run/chain-needs.ts';
import type { RunOptions } from '../core/engine/scope/run-options.ts';
import type { RunEvent } from '../core/events.ts';
import type { Loaded } from './load.ts';
import type { RunResult, RunToSpread, Spreading } from './run-recorded.ts';
import { carryOutElsewhere, SpreadRun, type SpreadProgress } from './spread-run.ts';

/** Whether a chain has a loop whose iterations may be given away; one that has none is given as a whole. */
export function spreadsLoops(chain: Chain): boolean {
  const visit = (step: Step): boolean =>
    (step.type === 'each' && step.spread !== undefined) || stepsIn(step).some(visit);
  return chain.steps.some(visit);
}

/** Carries chains out with the help of workers: here where only its loops are given away, else there. */
export function spreading(loaded: Loaded): Spreading {
  return (about, carryOut) => runSpread(loaded, about, carryOut);
}

async function runSpread(
  loaded: Loaded,
  { chain, options, record, world }: RunToSpread,
  carryOut: (options: RunOptions) => Promise<RunResult>,
): Promise<RunResult> {
  const given = {
    answers: options.answers ?? new Map<string, string>(),
    ...(options.contract === undefined ? {} : { contract: options.contract }),
    ...(options.leave ? { leave: true } : {}),
    ...(options.cases ? { cases: options.cases } : {}),
  };
  const pace = paceWords(loaded, chain);
  const progress = (told: SpreadProgress): void => options.emit(eventOf(told, pace));
  const spread = { loaded, chain, run: options.id, world, record, given, progress };
  if (!spreadsLoops(chain) && !options.past) {
    const { emit, inputs, signal } = options;
    const setup = { started: Date.now(), values: new Map(), inputs };
    const done = await carryOutElsewhere({ ...spread, emit, signal }, setup);
    return { exit: done?.exit ?? 130, results: new Map() };
  }
  const own = new SpreadRun(spread);
  const stop = (): void => own.stop();
  options.signal.addEventListener('abort', stop, { once: true });
  try {
    return await carryOut({ ...options, spread: own });
  } finally {
    options.signal.removeEventListener('abort', stop);
    await own.close();
  }
}

function eventOf(
  { workers, lanes, done, underWay, refusals }: SpreadProgress,
  pace: readonly string[],
): RunEvent {
  return {
    event: 'work-spread',
    at: Date.now(),
    workers,
    lanes,
    done,
    underWay,
    ...(pace.length > 0 ? { pace: [...pace] } : {}),
    refusals: refusals.map(([worker, why]) => ({ worker, why })),
  };
}

/** How fast the services of a chain may be asked, in words. */
function paceWords({ project, signInChains }: Loaded, chain: Chain): string[] {
  return [...needsOf(chain, project, signInChains).services].flatMap((name) => {
    const { rate, atOnce } = project.services.get(name)?.pace ?? {};
    const words = [
      ...(rate ? [`${rate.count} per ${PERIODS[rate.period] ?? `${rate.period} ms`}`] : []),
      ...(atOnce === undefined ? [] : [`${atOnce} at once`]),
    ];
    return words.length === 0 ? [] : [`${name} at most ${words.join(', ')}`];
  });
}

const PERIODS: Readonly<Record<number, string>> = {
  1000: 'second',
  60_000: 'minute',
  3_600_000: 'hour',
  86_400_000: 'day',
};
