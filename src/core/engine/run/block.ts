import type { Chain } from '../../chain/model.ts';
import type { Project } from '../../chain/project.ts';
import { findInChain } from '../../chain/steps-of.ts';
import type { Ports } from '../../ports.ts';
import { fail } from '../../problems.ts';
import { RunContext } from '../scope/context.ts';
import { Names } from '../scope/names.ts';
import type { RunOptions } from '../scope/run-options.ts';
import type { Block, BlockResult } from '../spread.ts';
import { Iterations } from '../steps/iterations.ts';
import { StepRunner } from '../steps/step-runner.ts';
import { prepare } from './prepare.ts';
import { equip } from './run.ts';

/**
 * Carries out a block of iterations of a run that another machine has begun. What had happened in it before stands in `options.past`.
 * `halt` says that no further iteration is wanted. Nothing is taken back here: what is booked is told, and the run takes it back.
 * Throws `secret-missing`, `input-invalid`, `no-such-step`.
 */
export async function carryOutBlock(
  chain: Chain,
  project: Project,
  ports: Ports,
  {
    options,
    block,
    halt,
  }: { readonly options: RunOptions; readonly block: Block; readonly halt: AbortSignal },
): Promise<BlockResult> {
  const root = new RunContext(chain, project, ports, { options });
  equip(root);
  await prepare(root);
  root.tellLearned();
  const found = findInChain(chain, block.loop);
  if (found?.step.type !== 'each') return fail('no-such-step', `the chain has no loop ${block.loop}`);
  const { step } = found;
  const names = new Names();
  for (const { name, value, origin, lost } of block.names) {
    if (value !== undefined) names.set(name, value);
    if (origin !== undefined) names.cameFrom(name, origin);
    if (lost) names.lose(name, lost.step, lost.isAccepted);
  }
  const at = root.resumedAt(found.chain, step, block.loop, names);
  const runner = new StepRunner();
  const { items, first } = block;
  let i = 0;
  const iterations = new Iterations(runner, block.isAccepting ? at.accepting() : at, step, {
    items: { count: items.length, next: () => items[i++] },
    most: Infinity,
    first,
    isPart: true,
  });
  const stop = (): void => iterations.halt();
  if (halt.aborted) stop();
  else halt.addEventListener('abort', stop, { once: true });
  try {
    await iterations.carryOut(block.atOnce);
  } finally {
    halt.removeEventListener('abort', stop);
    await root.close();
  }
  return {
    done: iterations.part(),
    exit: runner.exit,
    ...(runner.missing ? { missing: runner.missing } : {}),
  };
}
