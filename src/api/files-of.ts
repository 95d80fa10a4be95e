import { existsSync, readFileSync } from 'node:fs';
import { type Chain, type Step, stepsIn } from '../core/chain/model.ts';
import type { Loaded } from './load.ts';

/** The files that a run of a chain depends on: the project, the chain, those it follows, and those of sign-ins. */
export function filesOf(loaded: Loaded, chain: Chain): { path: string; text: string }[] {
  const wanted = new Set([chain.file, ...[...loaded.signInChains.values()].map(({ file }) => file)]);
  const visit = (step: Step): void => {
    if (step.type === 'follow') wanted.add(step.chain.file);
    stepsIn(step).forEach(visit);
  };
  chain.steps.forEach(visit);
  if (loaded.project.file !== undefined) wanted.add(loaded.project.file);
  const known = new Map(loaded.files.map(({ path, text }) => [path, text]));
  return [...wanted].flatMap((path) => {
    const text = known.get(path) ?? (existsSync(path) ? readFileSync(path, 'utf8') : undefined);
    return text === undefined ? [] : [{ path, text }];
  });
}
