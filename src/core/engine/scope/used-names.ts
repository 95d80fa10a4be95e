import type { Step } from '../../chain/model.ts';

export const usedBy = new WeakMap<Step, ReadonlySet<string>>();
/** The names that a step uses, those of steps inside it left out: they are asked for when it is their turn. */
export function usedNames(step: Step): ReadonlySet<string> {
  let used = usedBy.get(step);
  if (!used) {
    const own = new Set(step.keep.map(({ name }) => name));
    used = new Set([...step.uses].filter((name) => !own.has(name)));
    usedBy.set(step, used);
  }
  return used;
}
