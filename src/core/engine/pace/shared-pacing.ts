import type { PaceSetting } from '../../chain/project.ts';
import type { Clock, WireResponse } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { PaceAnswer, PaceGrant, PaceHeard, SharedPace, Team } from '../../team-ports.ts';
import type { Interruption } from '../time/interruption.ts';
import type { Budget } from './budget.ts';
import { Line, type Passage } from './line.ts';
import { LONGEST_CAUTION, Pace, type Pacing, tooLong } from './pace.ts';
import { rateLeft, type RetryAfter } from './retry-after.ts';

/** How often is asked again where another machine has to let go first, in milliseconds: its word may be lost. */
const ASK_AGAIN = 100;

/** What may go in less than that goes at once, in milliseconds: no timer is finer. */
const SOON = 1;

/**
 * When the requests of one service may go, decided for all machines of a team together. Of the requests that wait here only the
 * number is told. Where the others can't be reached they wait no longer, or go at this machine's part of the pace.
 */
export class SharedPacing implements Pacing {
  readonly name: string;
  readonly budget: Budget | undefined;
  readonly #clock: Clock;
  readonly #setting: PaceSetting;
  readonly #without: Team['without'];
  readonly #shared: SharedPace;
  readonly #queue = new Line();
  #isAsking = false;
  /** How many of those that wait have been told when they may go. */
  #promised = 0;
  /** Something has changed since the question that is under way. */
  #hasChanged = false;
  #cancelTimer: (() => void) | undefined;
  #blockedUntil = 0;
  #blockedBy: string | undefined;
  /** How many machines there were when one could last be told. */
  #machines = 1;
  /** The pace of this machine alone, while the others can't be reached. */
  #alone: Pace | undefined;

  constructor(
    clock: Clock,
    team: Team,
    about: { readonly name: string; readonly origin: string; readonly setting: PaceSetting },
    budget: Budget | undefined,
  ) {
    this.name = about.name;
    this.budget = budget;
    this.#clock = clock;
    this.#setting = about.setting;
    this.#without = team.without;
    this.#shared = team.paces.open(about, () => this.#look());
  }

  get waiting(): number {
    return this.#queue.length + (this.#alone?.waiting ?? 0);
  }

  get blockedFor(): number {
    return Math.max(0, this.#blockedUntil - this.#clock.elapsed());
  }

  get retryAfterFor(): { readonly wait: number; readonly by?: string } {
    const wait = this.blockedFor;
    return { wait, ...(wait === 0 || this.#blockedBy === undefined ? {} : { by: this.#blockedBy }) };
  }

  async enter(patience: number, interruption: Interruption, again: boolean): Promise<Passage> {
    await this.budget?.take();
    const entered = this.#queue.join(patience, interruption, again, () => {
      if (this.#wanted === 0) this.#shared.withdraw();
    });
    this.#look();
    return entered;
  }

  wait(retryAfter: RetryAfter): void {
    this.#block(retryAfter.wait, retryAfter.by);
    this.#shared.wait(retryAfter.wait, retryAfter.by);
    this.#alone?.wait(retryAfter);
  }

  close(): Promise<void> {
    // Another chain of the same command may go on with it.
    return this.budget?.close() ?? Promise.resolve();
  }

  #block(wait: number, by: string | undefined): void {
    const until = this.#clock.elapsed() + wait;
    if (until <= this.#blockedUntil) return;
    this.#blockedUntil = until;
    this.#blockedBy = by;
    this.#refuseTheImpatient();
  }

  /** Asks for those that wait; one question at a time. */
  #look(): void {
    this.#cancelTimer?.();
    this.#cancelTimer = undefined;
    // Also who comes while the service is left alone may not want to wait for so long.
    this.#refuseTheImpatient();
    if (this.#wanted === 0) return;
    this.#hasChanged = this.#isAsking;
    if (this.#isAsking) return;
    this.#isAsking = true;
    this.#shared.ask(this.#setting, this.#wanted).then(
      (answer) => this.#take(answer),
      (error: unknown) => this.#away(error),
    );
  }

  #take({ granted, wait, blocked, machines }: PaceAnswer): void {
    this.#isAsking = false;
    this.#alone = undefined;
    this.#machines = Math.max(1, machines);
    if (blocked) this.#block(blocked.wait, blocked.by);
    for (const grant of granted) {
      if (grant.after < SOON) this.#use(grant);
      else this.#clock.timer(grant.after, () => this.#use(grant));
      this.#promised++;
    }
    if (this.#wanted === 0) return;
    if (this.#hasChanged || granted.length > 0) return this.#look();
    this.#cancelTimer = this.#clock.timer(wait ?? ASK_AGAIN, () => this.#look());
  }

  /** Its time has come. */
  #use(grant: PaceGrant): void {
    this.#promised--;
    const waiter = this.#queue.shift();
    // Whoever waited for it may have been interrupted meanwhile.
    if (waiter) waiter.go(this.#passage(grant));
    else this.#shared.left(grant, { wasSent: false });
  }

  /** How many wait for which no time is known yet. */
  get #wanted(): number {
    return Math.max(0, this.#queue.length - this.#promised);
  }

  /** The others can't be reached. */
  #away(error: unknown): void {
    this.#isAsking = false;
    const waiters = this.#queue.takeFrom(this.#promised);
    const isAway = error instanceof ProblemError && error.problem.code === 'team-away';
    if (!isAway || this.#without === 'stop') {
      for (const { refuse } of waiters) refuse(error as Error);
      return;
    }
    this.#alone ??= new Pace(this.#clock, this.name, shareOf(this.#setting, this.#machines), undefined);
    const alone = this.#alone;
    for (const waiter of waiters) {
      const entered = alone.enter(waiter.patience, waiter.interruption, false);
      if (entered instanceof Promise) entered.then(waiter.go, waiter.refuse);
      else waiter.go(entered);
    }
  }

  #passage(grant: PaceGrant): Passage {
    return {
      sent: () => this.#shared.sent(grant),
      leave: (response, wasSent) => {
        const left = response && this.#heard(response);
        this.#shared.left(grant, { wasSent, ...(left === undefined ? {} : { left }) });
      },
    };
  }

  #heard({ status, headers }: WireResponse): PaceHeard['left'] {
    if (status === 429) return undefined; // `wait` follows
    const left = rateLeft(headers, this.#clock.now());
    // One that is long in coming is not waited for before the service has refused anything.
    return !left || left.resets > LONGEST_CAUTION ? 'unlimited' : left;
  }

  #refuseTheImpatient(): void {
    const wait = this.blockedFor;
    const by = this.#blockedBy;
    this.#queue.refuseImpatient(wait, (patience) =>
      tooLong(this.name, { wait, ...(by === undefined ? {} : { by }) }, patience),
    );
  }
}

/** The part of a pace that is one machine's of so many. */
export function shareOf(setting: PaceSetting, machines: number): PaceSetting {
  const { rate, burst, atOnce } = setting;
  return {
    burst: Math.max(1, Math.floor(burst / machines)),
    ...(rate ? { rate: { count: rate.count / machines, period: rate.period } } : {}),
    ...(atOnce === undefined ? {} : { atOnce: Math.max(1, Math.floor(atOnce / machines)) }),
  };
}
