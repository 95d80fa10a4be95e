import { countOf } from '../../core/count-of.ts';
import type { EventOf, RunEvent } from '../../core/events.ts';

/** Work that nobody takes is said to wait after so long, in milliseconds. */
const PATIENCE = 3000;
/** Over how long calls are counted, in milliseconds. */
const COUNTED_OVER = 5000;

/** What is shown of work that is given to workers: who takes it, how far it is, and why others don't. */
export class WorkLines {
  #latest: EventOf<'work-spread'> | undefined;
  #nobodySince: number | undefined;
  #isSaid = false;
  readonly #refused = new Set<string>();
  /** Calls of the last seconds, by the second. */
  readonly #calls = new Map<number, number>();

  /** Takes an event; gives what a person is to be told once. */
  take(event: RunEvent): string[] {
    if (event.event === 'request-sent') {
      const second = Math.floor(event.at / 1000);
      this.#calls.set(second, (this.#calls.get(second) ?? 0) + 1);
      for (const old of this.#calls.keys()) if (old < second - 30) this.#calls.delete(old);
    }
    if (event.event !== 'work-spread') return [];
    const before = this.#latest?.workers ?? 0;
    this.#latest = event;
    const said: string[] = [];
    if (event.workers < before && event.underWay > 0)
      said.push(
        `${countOf(before - event.workers, 'worker')} gone, ${event.workers} left: what was under way there goes to others once the lease has ended`,
      );
    for (const { worker, why } of event.refusals)
      if (!this.#refused.has(`${worker} ${why}`)) {
        this.#refused.add(`${worker} ${why}`);
        said.push(`the worker ${worker} takes none of it: ${why}`);
      }
    if (event.workers > 0) {
      this.#nobodySince = undefined;
      return said;
    }
    this.#nobodySince ??= event.at;
    if (!this.#isSaid && event.at - this.#nobodySince >= PATIENCE) {
      this.#isSaid = true;
      said.push('no worker takes this work yet: batharon work, on a machine of the team');
    }
    return said;
  }

  /** Who works, and how fast; nothing where no work is given. */
  get words(): string[] {
    const { workers, lanes, done, underWay, pace = [], at } = this.#latest ?? { at: 0 };
    if (workers === undefined) return [];
    if (workers === 0) return ['waits for workers'];
    const now = Math.floor(at / 1000);
    let calls = 0;
    for (const [second, count] of this.#calls)
      if (second < now && second >= now - COUNTED_OVER / 1000) calls += count;
    return [
      countOf(workers, 'worker'),
      ...(lanes! > workers ? [`${lanes!} parts at once`] : []),
      `${countOf(done!, 'block')} done, ${underWay!} given`,
      ...(calls > 0 ? [`${Math.round(calls / (COUNTED_OVER / 1000))} calls a second`] : []),
      ...pace,
    ];
  }
}
