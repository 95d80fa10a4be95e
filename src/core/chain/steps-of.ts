import { asWritten } from '../address.ts';
import { isSafe } from '../methods.ts';
import { type AskStep, type Chain, type Step, stepsIn } from './model.ts';

/** A step by its address at run time, also one of a chain that is followed; undefined if the chain has none. */
export function stepAt(chain: Chain, address: string): Step | undefined {
  return findInChain(chain, address)?.step;
}

/** The same for a step of the chain itself only. */
export function ownStepAt(chain: Chain, address: string): Step | undefined {
  const found = findInChain(chain, address);
  return found?.chain === chain ? found.step : undefined;
}

/** The same with the chain that it is of. */
export function findInChain(
  chain: Chain,
  address: string,
): { readonly chain: Chain; readonly step: Step } | undefined {
  const written = asWritten(address);
  const search = (steps: readonly Step[]): { chain: Chain; step: Step } | undefined => {
    for (const step of steps) {
      if (step.address === written) return { chain, step };
      if (step.type === 'follow' && written.startsWith(`${step.address}.`))
        return findInChain(step.chain, written.slice(step.address.length + 1));
      const inside = step.type === 'follow' ? undefined : search(stepsIn(step));
      if (inside) return inside;
    }
    return undefined;
  };
  return search(chain.steps);
}

/** The calls that may change something, as they are written, those of chains that are followed included. */
export function changingCalls(steps: readonly Step[]): string[] {
  return steps.flatMap((step): string[] =>
    step.type === 'call'
      ? isSafe(step.method)
        ? []
        : [`${step.method} ${step.written}`]
      : changingCalls(stepsIn(step)),
  );
}

/** All names that steps use, those of steps inside them included. */
export function usedIn(steps: readonly Step[]): Set<string> {
  const used = new Set<string>();
  const visit = (step: Step): void => {
    for (const name of step.uses) used.add(name);
    if (step.type !== 'follow') stepsIn(step).forEach(visit);
  };
  steps.forEach(visit);
  return used;
}

/** The questions of a chain, those of its loops and of chains that it follows included. */
export function questionsOf(chain: Pick<Chain, 'steps'>): AskStep[] {
  const visit = (step: Step): AskStep[] => (step.type === 'ask' ? [step] : stepsIn(step).flatMap(visit));
  return chain.steps.flatMap(visit);
}
