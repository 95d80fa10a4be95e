import { asWritten } from '../../core/address.ts';
import type { EventOf } from '../../core/events.ts';
import { countOf } from '../../core/count-of.ts';
import { isUnnamed } from '../../core/record/step-words.ts';
import type { SeenStep, StepLines } from './step-lines.ts';

/** How many kinds of failure are shown in full. */
const SHOWN_KINDS = 5;

interface FailureKind {
  count: number;
  readonly order: number;
  /** Which turn it was, in words. */
  readonly which: string;
  readonly step: SeenStep;
  readonly ended: EventOf<'step-ended'>;
}

/** Steps that failed, summed up: of each kind the first one, and how many more failed in the same way. */
export class FailureKinds {
  readonly #kinds = new Map<string, FailureKind>();

  /** Takes a step that failed. `which` says in words where among the iterations it stands, `order` by a number. */
  add(step: SeenStep, ended: EventOf<'step-ended'>, which = '', order = this.#kinds.size): void {
    const kind = kindOf(step, ended);
    const known = this.#kinds.get(kind);
    if (known) known.count++;
    else this.#kinds.set(kind, { count: 1, order, which, step, ended });
  }

  /** Writes the first of each kind in full. */
  write(lines: StepLines): void {
    const kinds = [...this.#kinds.values()].sort((a, b) => a.order - b.order);
    for (const { count, ended, step, which } of kinds.slice(0, SHOWN_KINDS)) {
      const { step: address, title } = step.began;
      const does = isUnnamed(address) ? ` ${title}` : '';
      const others = count > 1 ? `, and ${count - 1} more in the same way` : '';
      lines.line('failed', `${address}${does}${which}${others}`);
      lines.failure(step, ended);
    }
    if (kinds.length > SHOWN_KINDS)
      lines.line('', `and ${countOf(kinds.length - SHOWN_KINDS, 'more kind')} of failure`);
  }
}

/** Failures are of one kind where the same step failed in the same way. */
function kindOf({ response, began, failed }: SeenStep, { problem }: EventOf<'step-ended'>): string {
  const where = asWritten(began.step);
  return [where, problem?.code, failed[0]?.condition, response?.status].join(' ');
}
