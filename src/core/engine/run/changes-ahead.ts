import { countOf } from '../../count-of.ts';
import { shorten } from '../../language/show.ts';
import { isSafe } from '../../methods.ts';
import type { RunContext } from '../scope/context.ts';
import { type DryRequest, DryRunner } from './dry.ts';

/** So many requests are listed; of more their number is told. */
const LISTED = 20;

/** So much of an address is told, in characters. */
const LONGEST = 300;

/** Up to so many characters addresses stand in a column. */
const WIDEST = 72;

/** The requests of a run that may change something and are not sent yet, a line each, as far as they can be told. */
export function changesAhead(context: RunContext): string[] {
  const { past } = context.options;
  const { chain, hidden } = context;
  const runner = new DryRunner(context, true);
  const steps = chain.steps.filter(({ address }) => past?.step(address)?.outcome !== 'passed');
  const requests = runner.steps([...steps, ...chain.cleanup]).filter(({ method }) => !isSafe(method));
  const listed = requests
    .slice(0, LISTED)
    .map((one) => ({ ...one, shown: shorten(hidden.spoken(one.url), LONGEST) }));
  const width = Math.min(WIDEST, Math.max(0, ...listed.map(({ shown }) => shown.length)));
  const rows = listed.map((one) =>
    `${one.method.padEnd(6)} ${one.shown.padEnd(width)}  ${timesOf(one)}`.trimEnd(),
  );
  const more = requests.length - rows.length;
  return more > 0 ? [...rows, `and ${more} more`] : rows;
}

function timesOf({ takesBack, times, when }: DryRequest): string {
  const count =
    times === undefined
      ? 'as often as the run shows'
      : when === undefined
        ? ''
        : times === 1
          ? 'once'
          : countOf(times, 'time');
  const back = takesBack ? 'to take back' : '';
  const words = [count, back].filter((part) => part !== '').join(', ');
  return when === undefined ? words : `${words} (${when})`.trim();
}
