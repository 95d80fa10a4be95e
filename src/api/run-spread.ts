import { type Chain, type Step, stepsIn } from '../core/chain/model.ts';
import { changingCalls } from '../core/chain/steps-of.ts';
import { Guarding } from '../core/engine/scope/guarding.ts';
import { eventProblem } from '../core/engine/scope/with-place.ts';
import { EVENT_VERSION } from '../core/event-version.ts';
import { exitOf } from '../core/problem-codes.ts';
import { type Problem, problemOf } from '../core/problems.ts';
import { needsOf } from '../core/engine/run/chain-needs.ts';
import type { RunOptions } from '../core/engine/scope/run-options.ts';
import type { RunEvent } from '../core/events.ts';
import type { Loaded } from './load.ts';
import type { RunResult, RunToSpread, Spreading } from './run-recorded.ts';
import { carryOutElsewhere, type SpreadAbout, SpreadRun, type SpreadProgress } from './spread-run.ts';

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
  if (!spreadsLoops(chain) && !options.past) return runElsewhere(spread, options);
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

/** Has a whole chain carried out by a worker. What keeps it from that is told as the end of the run. */
async function runElsewhere(spread: SpreadAbout, options: RunOptions): Promise<RunResult> {
  const { chain, loaded, world } = spread;
  const { inputs, signal } = options;
  const began = performance.now();
  const told = { hasBegun: false };
  const emit = (event: RunEvent): void => {
    if (event.event === 'run-began') told.hasBegun = true;
    options.emit(event);
  };
  let problem: Problem;
  try {
    // Who is asked sits here.
    const guarding = new Guarding(loaded.project, world.ports.confirm, (text) => text);
    await guarding.allowGiven(changingCalls(chain.steps));
    const setup = { started: Date.now(), values: new Map(), inputs };
    const done = await carryOutElsewhere({ ...spread, emit, signal }, setup);
    if (done) return { exit: done.exit, results: new Map() };
    problem = { code: 'interrupted', message: 'the run was interrupted before a worker had begun with it' };
  } catch (error) {
    problem = problemOf(error);
  }
  const isInterrupted = problem.code === 'interrupted';
  const exit = isInterrupted ? 130 : exitOf(problem.code);
  const { file, steps, title } = chain;
  if (!told.hasBegun)
    emit({
      event: 'run-began',
      at: Date.now(),
      version: EVENT_VERSION,
      run: options.id,
      chain: title,
      file,
      inputs: {},
      steps: steps.length,
      spread: true,
    });
  emit({
    event: 'run-ended',
    at: Date.now(),
    outcome: isInterrupted ? 'interrupted' : 'failed',
    exit,
    results: {},
    calls: 0,
    elapsed: performance.now() - began,
    problem: eventProblem(problem),
  });
  return { exit, results: new Map() };
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
