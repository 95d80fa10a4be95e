import type { Step } from '../../chain/model.ts';

/** The names that a step would keep, those of the steps inside it that outlive it included. */
export function namesKeptBy(step: Step): string[] {
  const own = step.keep.map(({ name }) => name);
  switch (step.type) {
    case 'group':
      return [...own, ...[...step.steps, ...(step.otherwise ?? [])].flatMap(namesKeptBy)];
    case 'each':
      return [...own, ...step.gather.map(({ name }) => name)];
    case 'repeat':
      return [...own, ...step.steps.flatMap(namesKeptBy)];
    case 'ask':
      return [...own, step.name];
    default:
      return own;
  }
}
