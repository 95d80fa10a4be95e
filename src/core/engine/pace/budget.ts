import type { PaceSetting } from '../../chain/project.ts';
import type { Clock, Ledger } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';

const LENGTHS = { hour: 3_600_000, day: 86_400_000 } as const;

/** A budget of calls per hour or day (UTC), counted in a ledger that all runs of the project share. */
export class Budget {
  readonly #ledger: Ledger;
  readonly #clock: Clock;
  readonly #service: string;
  readonly #key: string;
  readonly #count: number;
  readonly #period: 'hour' | 'day';
  /** Taken out of the ledger and not used yet. */
  #reserved = 0;
  #reservedFor = 0;
  #taking: Promise<void> | undefined;

  constructor(
    ledger: Ledger,
    clock: Clock,
    service: string,
    {
      origin,
      budget: { count, period },
    }: { readonly origin: string; readonly budget: NonNullable<PaceSetting['budget']> },
  ) {
    this.#ledger = ledger;
    this.#clock = clock;
    this.#service = service;
    this.#key = `${service} ${origin} ${period}`;
    this.#count = count;
    this.#period = period;
  }

  #began(): number {
    const length = LENGTHS[this.#period];
    return Math.floor((this.#ledger.now?.() ?? this.#clock.now()) / length) * length;
  }

  /** Takes one call out. Throws `budget-used-up`. */
  async take(): Promise<void> {
    for (;;) {
      if (this.#reserved > 0 && this.#reservedFor === this.#began()) {
        this.#reserved--;
        return;
      }
      await (this.#taking ??= this.#fetch().finally(() => (this.#taking = undefined)));
    }
  }

  async #fetch(): Promise<void> {
    await this.close();
    const began = this.#began();
    // Of a large budget several at a time, since each time costs a lock and a write.
    const wanted = this.#ledger.isExact ? 1 : Math.max(1, Math.min(100, Math.floor(this.#count / 200)));
    const taken = await this.#ledger.take(this.#key, began, this.#count, wanted);
    if (taken === 0) this.#refuse(`the ${this.#count} calls a ${this.#period} are used up`);
    this.#reserved = taken;
    this.#reservedFor = began;
  }

  /** Refuses what would not be finished. Throws `budget-used-up`. */
  async promise(calls: number): Promise<void> {
    const left = this.#count - (await this.#ledger.used(this.#key, this.#began())) + this.#reserved;
    if (calls > left)
      this.#refuse(
        `${calls} call${calls === 1 ? ' is' : 's are'} to be sent, and ${Math.max(0, left)} of ${this.#count} a ${this.#period} are left`,
      );
  }

  #refuse(why: string): never {
    const again = new Date(this.#began() + LENGTHS[this.#period]).toISOString().replace(/:\d\d\.\d+Z$/, 'Z');
    throw new ProblemError({
      code: 'budget-used-up',
      message: `the budget of ${this.#service}: ${why}; it begins again at ${again}`,
      hint: `wait until then, or change budget: under pace of ${this.#service}`,
    });
  }

  /** Returns back what was not used. */
  async close(): Promise<void> {
    const reserved = this.#reserved;
    this.#reserved = 0;
    if (reserved > 0) await this.#ledger.giveBack(this.#key, this.#reservedFor, reserved);
  }
}
