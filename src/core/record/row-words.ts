import type { EventOf } from '../events.ts';

/** Which row was written where, in words. */
export function rowWords({ change, nth, path }: EventOf<'row-written'>): string {
  const what = { added: '', changed: ', brought up to date', same: ', as it was' }[change];
  return `row ${nth} of ${path}${what}`;
}
