import type { RecordedStep } from './recorded-run.ts';

/** Whether a step has no name of its own, by its address: `fire[7].0`. */
export function isUnnamed(address: string): boolean {
  return /(?:^|\.)\d+$/.test(address);
}

/** A step for people: its address, what it does where it has no name, and the item of its turn. */
export function whichStep({
  address,
  began,
  item,
}: Pick<RecordedStep, 'address' | 'began' | 'item'>): string {
  const does = isUnnamed(address) ? ` ${began.title}` : '';
  return `${address}${does}${item === undefined ? '' : ` · ${item}`}`;
}
