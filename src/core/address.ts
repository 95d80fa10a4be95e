/** What a person may write for a place in the records: `RUN:STEP`, `…/page-3`, `…/attempt-2`. */

import { fail } from './problems.ts';

export interface RecordPlace {
  readonly run: string;
  readonly step?: string;
  readonly attempt?: number;
  readonly page?: number;
}

/** Reads `RUN:STEP/attempt-2`. Throws `wrong-form`. */
export function parsePlace(text: string): RecordPlace {
  const [, run = '', step, part, count] =
    /^([^:]*)(?::([^/]+)(?:\/(page|attempt)-(\d+))?)?$/.exec(text) ?? [];
  if (text !== '' && run === '' && step === undefined)
    fail('wrong-form', `${text} is no place in a record`, { hint: 'last:fire[17].load, or …/attempt-2' });
  return {
    run: run === '' ? 'last' : run,
    ...(step === undefined ? {} : { step }),
    ...(part === undefined ? {} : { [part]: Number(count) }),
  };
}

/** Whether the events of a step are needed to tell of another one: those of it, of what it stands in, and of what is inside. */
export function leadsTo(wanted: string): (address: string) => boolean {
  return (address) =>
    address === wanted ||
    (wanted.startsWith(address) && /^[.[@]/.test(wanted.slice(address.length))) ||
    (address.startsWith(wanted) && /^[.[@]/.test(address.slice(wanted.length)));
}

/**
 * The address of a step as the chain is written, whatever the iteration: `fire[].load` for `fire[7].load`.
 */
export function asWritten(address: string): string {
  return address.replace(/\[\d+\]/g, '[]');
}

/** The loop and the iteration that an address of an iteration names: `fire[7]`; undefined for any other address. */
export function iterationAt(
  address: string,
): { readonly loop: string; readonly iteration: number } | undefined {
  const [, loop, iteration] = /^(.*)\[(\d+)\]$/.exec(address) ?? [];
  return loop === undefined ? undefined : { loop, iteration: Number(iteration) };
}

/** The outermost iteration in which a step is; undefined outside of loops. */
export function outermostIteration(
  address: string,
): { readonly loop: string; readonly iteration: number } | undefined {
  const [, loop, iteration] = /^([^[]*)\[(\d+)\]/.exec(address) ?? [];
  return loop === undefined ? undefined : { loop, iteration: Number(iteration) };
}

/** Whether an address is one of a chain that signs in. */
export function isOfSignIn(address: string): boolean {
  return address.includes('@');
}
