import type { PaceSetting as PaceSetting } from '../../chain/project.ts';
import type { Clock, WireResponse } from '../../ports.ts';
import type { Problem } from '../../problems.ts';
import type { Budget } from './budget.ts';
import { Line, type Passage } from './line.ts';
import type { Interruption } from '../time/interruption.ts';
import { rateLeft, type RetryAfter } from './retry-after.ts';

/** How long a service is left alone at most because it said that little is left, before it has refused anything. */
export const LONGEST_CAUTION = 60_000;

/** So much longer than its pace allows is the time between two requests: on the way to the service one may gain on the other. */
const MARGIN = 1.03;

/** Of a pace of more calls than that the last ones are not remembered. */
const MOST_REMEMBERED = 10_000;

/** The times of the last so many events. */
class Recent {
  readonly #times: Float64Array;
  #next = 0;

  constructor(size: number) {
    this.#times = new Float64Array(size).fill(-Infinity);
  }

  add(time: number): void {
    this.#times[this.#next] = time;
    this.#next = (this.#next + 1) % this.#times.length;
  }

  /** The time of the oldest one once so many more have come. */
  oldestAfter(more: number): number {
    return more < this.#times.length ? this.#times[(this.#next + more) % this.#times.length]! : Infinity;
  }
}

/** When the requests of one service may go. */
export interface Pacing {
  readonly name: string;
  /** The budget, where there is one. */
  readonly budget: Budget | undefined;
  /** How many requests wait. */
  readonly waiting: number;
  /** How long the service is left alone from now on because it said so, in milliseconds. */
  readonly blockedFor: number;
  /** How long the service is to be left alone as it says, before or after it has refused something, in milliseconds; and by what. */
  readonly retryAfterFor: { readonly wait: number; readonly by?: string };
  /**
   * Waits until a request may go. `patience` is how long it waits at most because the service says so, in milliseconds; `again` lets
   * a repeated request go first. Throws `retry-after-too-long`, `budget-used-up`, `team-away`, or why the run was interrupted.
   */
  enter(patience: number, interruption: Interruption, again: boolean): Passage | Promise<Passage>;
  /** Leaves the service alone for so many milliseconds, as it said. */
  wait(retryAfter: RetryAfter): void;
  close(): Promise<void>;
}

/** The paces of services and hosts, by their names. */
export type Paces = Map<string, Pacing>;

/**
 * When the requests of one service may go, in the order in which they got: not faster than its pace in the project file,
 * not more at once, and as the service itself says. After a wait that the service asked for, one request goes first and
 * shows how much there is again.
 */
export class Pace implements Pacing, Passage {
  readonly #clock: Clock;
  readonly #setting: PaceSetting;
  readonly #budget: Budget | undefined;
  readonly name: string;
  readonly #queue = new Line();
  #underWay = 0;
  /** Requests that have begun, and of which it is not known yet when they went out on their connection. */
  #unsent = 0;
  /** When the last requests went out, as many as may in one period: however late timers come, no period has more. */
  readonly #recent: Recent | undefined;
  /** When the next request would be due at an even pace (as in the generic cell rate algorithm). */
  #due = 0;
  #blockedUntil = 0;
  #blockedBy: RetryAfter | undefined;
  #probing = false;
  /** How many are under way since before the service said wait. */
  #older = 0;
  /** How many requests the service will take before it says more. */
  #left = Infinity;
  #resets = 0;
  #cancelTimer: (() => void) | undefined;

  constructor(clock: Clock, name: string, setting: PaceSetting, budget: Budget | undefined) {
    this.#clock = clock;
    this.name = name;
    this.#setting = setting;
    this.#budget = budget;
    const { rate, burst } = setting;
    if (rate && rate.count < MOST_REMEMBERED) this.#recent = new Recent(Math.ceil(rate.count) + burst - 1);
  }

  enter(patience: number, interruption: Interruption, again: boolean): Passage | Promise<Passage> {
    if (this.#budget) return this.#budget.take().then(() => this.#enter(patience, interruption, again));
    return this.#enter(patience, interruption, again);
  }

  #enter(patience: number, interruption: Interruption, again: boolean): Passage | Promise<Passage> {
    if (this.#queue.length === 0) {
      const now = this.#clock.elapsed();
      if (this.#readyAt(now) <= now) {
        this.#begin();
        // Of its requests none is another, so that it stands for each.
        return this;
      }
    }
    const entered = this.#queue.join(patience, interruption, again);
    this.#look();
    return entered;
  }

  sent(): void {
    const { rate } = this.#setting;
    if (!rate) return;
    const now = this.#clock.elapsed();
    this.#unsent--;
    this.#recent?.add(now);
    this.#due = Math.max(this.#due, now + this.#spacing);
    if (this.#queue.length > 0) this.#look();
  }

  leave(response: WireResponse | undefined, wasSent: boolean): void {
    this.#underWay--;
    if (!wasSent && this.#setting.rate) this.#unsent--;
    const old = this.#older > 0;
    if (old) this.#older--;
    if (response) this.#hear(response, old);
    if (this.#queue.length > 0) this.#look();
  }

  #hear(response: WireResponse, old: boolean): void {
    if (response.status === 429) return; // `wait` follows
    // What was under way when the service said wait tells nothing of afterwards.
    if (!old) this.#probing = false;
    const left = rateLeft(response.headers, this.#clock.now());
    if (!left) {
      this.#left = Infinity;
      return;
    }
    // Those under way may or may not have been counted by the service when it said so.
    // One that is long in coming is not waited for before the service has refused anything.
    this.#left = left.resets > LONGEST_CAUTION ? Infinity : left.requests - this.#underWay;
    this.#resets = this.#clock.elapsed() + left.resets;
  }

  wait(retryAfter: RetryAfter): void {
    const until = this.#clock.elapsed() + retryAfter.wait;
    this.#probing = true;
    this.#older = this.#underWay;
    if (until <= this.#blockedUntil) return;
    this.#blockedUntil = until;
    this.#blockedBy = retryAfter;
    this.#look();
  }

  get blockedFor(): number {
    return Math.max(0, this.#blockedUntil - this.#clock.elapsed());
  }

  get retryAfterFor(): { readonly wait: number; readonly by?: string } {
    const now = this.#clock.elapsed();
    const blocked = this.#blockedUntil - now;
    const resets = this.#left <= 0 ? this.#resets - now : 0;
    if (blocked <= 0 && resets <= 0) return { wait: 0 };
    const by = blocked >= resets ? this.#blockedBy?.by : 'its rate-limit fields';
    return { wait: Math.max(blocked, resets), ...(by === undefined ? {} : { by }) };
  }

  get budget(): Budget | undefined {
    return this.#budget;
  }

  async close(): Promise<void> {
    await this.#budget?.close();
  }

  get waiting(): number {
    return this.#queue.length;
  }

  /** When the next one may go; infinite where that shows only when another one has ended. */
  #readyAt(now: number): number {
    const { atOnce, rate, burst } = this.#setting;
    if (atOnce !== undefined && this.#underWay >= atOnce) return Infinity;
    if (now < this.#blockedUntil) return this.#blockedUntil;
    if (this.#probing && this.#underWay > 0) return Infinity;
    if (this.#left <= 0) {
      if (now < this.#resets) return this.#resets;
      if (this.#underWay > 0) return Infinity;
    }
    if (!rate) return 0;
    // The next one may be faster on its way than those that still connect.
    if (this.#unsent >= burst) return Infinity;
    const due = this.#due - (burst - 1) * this.#spacing;
    return this.#recent ? Math.max(due, this.#recent.oldestAfter(this.#unsent) + rate.period) : due;
  }

  /** The time between two requests at an even pace, in milliseconds. */
  get #spacing(): number {
    const { rate } = this.#setting;
    return rate ? (rate.period / rate.count) * MARGIN : 0;
  }

  #begin(): void {
    if (this.#setting.rate) {
      this.#due = Math.max(this.#due, this.#clock.elapsed()) + this.#spacing;
      this.#unsent++;
    }
    this.#underWay++;
    this.#left--;
  }

  /** Lets go all that may, and comes back when the next one may. */
  #look(): void {
    this.#cancelTimer?.();
    this.#cancelTimer = undefined;
    this.#refuseTheImpatient();
    while (this.#queue.length > 0) {
      const now = this.#clock.elapsed();
      const at = this.#readyAt(now);
      if (at > now) {
        if (at !== Infinity)
          this.#cancelTimer = this.#clock.timer(at - now, () => {
            this.#cancelTimer = undefined;
            this.#look();
          });
        return;
      }
      this.#begin();
      this.#queue.shift()!.go(this);
    }
  }

  #refuseTheImpatient(): void {
    const wait = this.blockedFor;
    this.#queue.refuseImpatient(wait, (patience) =>
      tooLong(this.name, { ...this.#blockedBy, wait }, patience),
    );
  }
}

/** Why a call does not wait as long as it is told. */
export function tooLong(service: string, { by, wait }: RetryAfter, patience: number, waited = 0): Problem {
  return {
    code: 'retry-after-too-long',
    message: `${service} asked to retry after ${words(wait)}${by === undefined ? '' : ` (${by})`}, and ${waited > 0 ? `this call has waited ${words(waited)} for it already, of ${words(patience + waited)} at most` : `a call waits ${words(patience)} at most`}`,
    hint: `retry: { retry-after: ${Math.ceil((wait + patience + waited) / 60_000) + 1}m }, or a slower pace: on the service`,
  };
}

/** Why a call is not sent again although the service says to come back. */
export function retriedTooOften(service: string, { by }: RetryAfter, times: number): Problem {
  return {
    code: 'retry-after-too-long',
    message: `${service} has said ${times + 1} times to come back${by === undefined ? '' : ` (the last time ${by})`}, and a call comes back ${times} times at most`,
    hint: 'a slower pace: on the service, so that it need not say so',
  };
}

function words(milliseconds: number): string {
  if (milliseconds < 60_000) return `${Math.round(milliseconds / 100) / 10}s`;
  if (milliseconds < 3_600_000) return `${Math.round(milliseconds / 6000) / 10}m`;
  return `${Math.round(milliseconds / 360_000) / 10}h`;
}
