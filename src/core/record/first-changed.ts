import { asWritten } from '../address.ts';
import { type Chain, type Step, stepsIn } from '../chain/model.ts';
import type { Past, PastStep } from '../engine/past-run.ts';

/** A run that goes on from the first step that is not as it was. */
export interface FromChanged {
  readonly past: Past;
  /** The address of that step, as written; undefined if all are as they were. */
  readonly first?: string;
  /** Whether a step, by its address at run time, is carried out again. */
  readonly again: (address: string) => boolean;
}

interface Written {
  readonly address: string;
  readonly step: Step;
  /** The place behind the steps inside it. */
  end: number;
}

/** What steps a chain has, in the order in which they are written; those inside a step come behind it. */
function written(chain: Chain): Written[] {
  const all: Written[] = [];
  const visit = (prefix: string, steps: readonly Step[]): void => {
    for (const step of steps) {
      const one: Written = { address: prefix + step.address, step, end: 0 };
      all.push(one);
      if (step.type === 'follow') visit(`${one.address}.`, step.chain.steps);
      else visit(prefix, stepsIn(step));
      one.end = all.length;
    }
  };
  visit('', chain.steps);
  return all;
}

/**
 * What a run had done, for it to go on from the first step that has changed since: that one and all behind it are carried
 * out again, those before it keep what they gave. `also` are steps that are to be taken as changed, by their addresses as
 * written; `whole` says that everything is. `anew` says that rows may be written again, too.
 */
export function fromFirstChanged(
  chain: Chain,
  past: Past,
  {
    also = new Set(),
    anew = false,
    whole = false,
  }: { readonly also?: ReadonlySet<string>; readonly anew?: boolean; readonly whole?: boolean } = {},
): FromChanged {
  const all = written(chain);
  const places = new Map(all.map(({ address }, i) => [address, i]));
  const from = whole ? 0 : firstChanged(all, past, also);
  const isAgain = (address: string): boolean => {
    const place = places.get(asWritten(address));
    return place !== undefined && all[place]!.end > from;
  };
  const first = all[from]?.address;
  return {
    ...(first === undefined ? {} : { first }),
    again: isAgain,
    past: {
      ...past,
      step: (address) => {
        const step = past.step(address);
        return step && isAgain(address) ? undone(step, anew) : step;
      },
      // The items of a loop that begins anew may be others.
      iteration: (loop, iteration) => (isAnew(loop) ? undefined : past.iteration(loop, iteration)),
      startOf: (loop) => (isAnew(loop) ? undefined : past.startOf(loop)),
    },
  };

  function isAnew(address: string): boolean {
    const place = places.get(asWritten(address));
    return place !== undefined && place >= from;
  }
}

function undone({ fingerprint, kept, row }: PastStep, anew: boolean): PastStep {
  return { fingerprint, kept, sent: [], taken: false, ...(row && !anew ? { row } : {}) };
}

/** The place of the first step that is not as it was, or that failed. */
function firstChanged(all: readonly Written[], past: Past, also: ReadonlySet<string>): number {
  for (let i = 0; i < all.length;) {
    const { address, end, step } = all[i]!;
    const before = past.hashOf(address);
    const isSame = before === step.fingerprint();
    if (before === undefined || also.has(address)) return i;
    const inside = all.slice(i + 1, end);
    const isLoop = step.type === 'each' || step.type === 'repeat';
    const changedInside = inside.findIndex((inner) => {
      const known = past.hashOf(inner.address);
      return also.has(inner.address) || (known === undefined ? !isSame : known !== inner.step.fingerprint());
    });
    if (changedInside >= 0) return i + 1 + changedInside;
    if (!isSame) return i;
    const outcome = past.step(address)?.outcome;
    if (outcome !== 'passed' && outcome !== 'skipped') {
      // The iterations that passed are not gone through again.
      if (isLoop) return end;
      if (inside.length === 0) return i;
      i++;
      continue;
    }
    i = end;
  }
  return all.length;
}
