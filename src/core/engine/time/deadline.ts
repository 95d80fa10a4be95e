import type { PartialResponse, Clock, Phase, Phases, Watch } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { Interruption } from './interruption.ts';
import type { Watchdog, Watched } from './watchdog.ts';

/** Limits of one request, in milliseconds. */
export interface Limits {
  readonly connect: number;
  readonly response: number;
  readonly total: number;
}

export const DEFAULT_LIMITS: Limits = { connect: 10_000, response: 30_000, total: 60_000 };

const PHASE_WORDS: Readonly<Record<Phase, string>> = {
  name: 'looking up the name of the host',
  connect: 'connecting',
  tls: 'the TLS handshake',
  firstByte: 'waiting for the first byte of the response',
  body: 'reading the body',
};

const CONNECTING: ReadonlySet<Phase | undefined> = new Set(['name', 'connect', 'tls']);

/** Watches the phases of a request and ends it when a limit is reached. */
export class Deadline implements Watch, Watched {
  stopped: Error | undefined;
  partial: PartialResponse | undefined;
  received: Watch['received'];
  /** Calls back when the request goes out on its connection. */
  onSent: (() => void) | undefined;
  readonly #clock: Clock;
  #limits: Limits;
  readonly #began: number;
  readonly #phases: Phases = {};
  readonly #interruption: Interruption;
  readonly #onInterruption = (reason: Error): void => {
    if (this.#grace === 0) this.stop(reason);
    else this.#cancelGrace = this.#clock.timer(this.#grace, () => this.stop(reason));
  };
  readonly #grace: number;
  #cancelGrace: (() => void) | undefined;
  readonly #callbacks: ((reason: Error) => void)[] = [];
  #current: Phase | undefined;
  #since: number;
  /** When the limit of the current phase is reached. */
  #phaseEnds = Infinity;
  readonly #watchdog: Watchdog;

  /** `grace` is how long an interruption waits for the response, in milliseconds. */
  constructor(
    clock: Clock,
    watchdog: Watchdog,
    limits: Limits,
    { interruption, grace = 0 }: { readonly interruption: Interruption; readonly grace?: number | undefined },
  ) {
    this.#grace = grace;
    this.#watchdog = watchdog;
    this.#clock = clock;
    this.#limits = limits;
    this.#interruption = interruption;
    this.#began = this.#since = clock.elapsed();
    watchdog.add(this, this.#began + Math.min(limits.connect, limits.response, limits.total));
    interruption.add(this.#onInterruption);
  }

  onStop(callback: (reason: Error) => void): void {
    this.#callbacks.push(callback);
  }

  /** Ends the request. */
  stop(reason: Error): void {
    if (this.stopped) return;
    this.stopped = reason;
    for (const callback of this.#callbacks) callback(reason);
  }

  /** The response may go on as long as it likes: something else bounds that. */
  goesOn(): void {
    this.#limits = { ...this.#limits, total: Infinity };
  }

  phase(phase: Phase): void {
    this.#settle();
    const { connect, response } = this.#limits;
    if (phase === 'firstByte') {
      this.onSent?.();
      this.onSent = undefined;
    }
    if (phase === 'firstByte') this.#phaseEnds = this.#since + response;
    else if (phase === 'body') this.#phaseEnds = Infinity;
    else if (!CONNECTING.has(this.#current)) this.#phaseEnds = this.#since + connect;
    this.#current = phase;
  }

  #settle(): void {
    const now = this.#clock.elapsed();
    if (this.#current) this.#phases[this.#current] = (this.#phases[this.#current] ?? 0) + now - this.#since;
    this.#since = now;
  }

  look(now: number): number {
    const ends = Math.min(this.#phaseEnds, this.#began + this.#limits.total);
    // Timers go off in whole milliseconds, so one may come a little early.
    if (now < ends - 1) return Math.min(ends, now + Math.min(this.#limits.connect, this.#limits.response));
    this.#watchdog.delete(this);
    const connecting = CONNECTING.has(this.#current);
    if (ends < this.#phaseEnds || this.#limits.total <= this.#limits.response)
      this.#expire('in all', this.#limits.total);
    else if (connecting) this.#expire('to connect', this.#limits.connect);
    else this.#expire('for the response to begin', this.#limits.response);
    return Infinity;
  }

  #expire(what: string, milliseconds: number): void {
    const phase = this.#current;
    const spent = this.#clock.elapsed() - this.#began;
    if (phase === 'body') {
      this.stop(
        new ProblemError({
          code: 'time-limit',
          message: `the response had begun to come, and was not complete within ${seconds(milliseconds)} ${what}`,
          hint: 'stream: on the call reads what never ends bit by bit; timeout: gives more time to what only takes long',
        }),
      );
      return;
    }
    this.stop(
      new ProblemError({
        code: 'time-limit',
        message: `no response within ${seconds(milliseconds)} ${what}; ${phase ? `it was ${PHASE_WORDS[phase]}` : 'the request had not begun'} after ${seconds(spent)}`,
        hint: `a longer timeout: on the call or its service (timeout: ${seconds(milliseconds * 3)})`,
      }),
    );
  }

  /** The phases so far, in milliseconds; nothing is watched any more. */
  end(): { phases: Phases; elapsed: number } {
    this.#settle();
    this.#watchdog.delete(this);
    this.#cancelGrace?.();
    this.#interruption.delete(this.#onInterruption);
    return { phases: this.#phases, elapsed: this.#since - this.#began };
  }
}

/** Milliseconds as a person reads them: 800ms, 2.5s. */
function seconds(milliseconds: number): string {
  return milliseconds < 1000 ? `${Math.round(milliseconds)}ms` : `${Math.round(milliseconds / 100) / 10}s`;
}
