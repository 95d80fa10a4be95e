import { nearest } from '../../language/nearest.ts';
import { type CallStep, type CarriedCredentials, type Chain, type Step, stepsIn } from '../model.ts';
import type { Finding } from '../source/finding.ts';
import type { Place } from '../../problems.ts';

/** Inputs under `as`, of calls or of services, that the chain which signs in does not have. */
export function checkAsInputs(
  all: Iterable<CarriedCredentials & { readonly at: Place }>,
  signInChains: ReadonlyMap<string, Chain>,
): Finding[] {
  return [...all].flatMap(({ asInputs, at }) =>
    [...(asInputs ?? [])].flatMap(([credential, inputs]) => {
      const chain = signInChains.get(credential);
      if (!chain) return [];
      const known = chain.inputs.map(({ name }) => name);
      return inputs
        .filter(([name]) => !known.includes(name))
        .map(([name]): Finding => ({
          level: 'problem',
          code: 'unknown-name',
          message: `${chain.file}, which signs in for ${credential}, has no input ${name}`,
          hint:
            nearest(name, known) ??
            (known.length > 0 ? `it has ${known.join(', ')}` : 'inputs: in that chain'),
          place: at,
        }));
    }),
  );
}

/** The calls of a chain, those of its loops and of undo included, without those of chains that it follows. */
export function callsIn({ cleanup, steps }: Pick<Chain, 'steps' | 'cleanup'>): CallStep[] {
  const visit = (step: Step): CallStep[] => [
    ...(step.type === 'call' ? [step] : []),
    ...(step.type === 'follow' ? [] : stepsIn(step).flatMap(visit)),
    ...step.undo.flatMap(visit),
  ];
  return [...steps, ...cleanup].flatMap(visit);
}
