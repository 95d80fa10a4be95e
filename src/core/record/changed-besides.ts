import { type Chain, type Step, stepsIn } from '../chain/model.ts';

/**
 * Steps that show another text than `before`, and those that follow one of the files `saved`, by their addresses as written:
 * their marks do not tell.
 */
export function changedBesides(
  chain: Chain,
  before: Chain | undefined,
  saved: readonly string[],
): Set<string> {
  const changed = new Set<string>();
  if (!before) return changed;
  const shown = new Map<string, string>();
  const visit = (prefix: string, step: Step, see: (address: string, step: Step) => void): void => {
    see(prefix + step.address, step);
    const inner = step.type === 'follow' ? `${prefix}${step.address}.` : prefix;
    for (const one of step.type === 'follow' ? step.chain.steps : stepsIn(step)) visit(inner, one, see);
  };
  for (const step of before.steps) visit('', step, (address, one) => shown.set(address, showOf(one)));
  for (const step of chain.steps)
    visit('', step, (address, one) => {
      const isOther = shown.has(address) && shown.get(address) !== showOf(one);
      if (isOther || (one.type === 'follow' && saved.includes(one.chain.file))) changed.add(address);
    });
  return changed;
}

function showOf({ show }: Step): string {
  return JSON.stringify(
    show?.parts.map((part) => (typeof part === 'string' ? part : [part.expression.text])) ?? null,
  );
}
