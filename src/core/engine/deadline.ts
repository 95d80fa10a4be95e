import type { Clock, Phase, Phases, Watch } from '../ports.ts';
import { type Problem, ProblemError } from '../problems.ts';

/** Limits of one request, in milliseconds. */
export interface Limits {
  readonly connect: number;
  readonly answer: number;
  readonly total: number;
}

export const USUAL_LIMITS: Limits = { connect: 10_000, answer: 30_000, total: 60_000 };

const PHASE_WORDS: Readonly<Record<Phase, string>> = {
  name: 'looking up the name of the host',
  connect: 'connecting',
  tls: 'the TLS handshake',
  firstByte: 'waiting for the first byte of the answer',
  body: 'reading the body',
};

/** Watches the phases of a request and ends it when a limit is reached. */
export class Deadline implements Watch {
  readonly signal: AbortSignal;
  readonly #controller = new AbortController();
  readonly #clock: Clock;
  readonly #limits: Limits;
  readonly #began: number;
  readonly #phases: Phases = {};
  readonly #outer: AbortSignal;
  #current: Phase | undefined;
  #since: number;
  #cancelTotal: () => void;
  #cancelPhase: (() => void) | undefined;
  readonly #onOuter = (): void => this.#controller.abort(this.#outer.reason);

  constructor(clock: Clock, limits: Limits, outer: AbortSignal) {
    this.#clock = clock;
    this.#limits = limits;
    this.#outer = outer;
    this.signal = this.#controller.signal;
    this.#began = this.#since = clock.elapsed();
    this.#cancelTotal = clock.timer(limits.total, () => this.#expire('in all', limits.total));
    if (outer.aborted) this.#onOuter();
    else outer.addEventListener('abort', this.#onOuter, { once: true });
  }

  phase(phase: Phase): void {
    const connecting = (one: Phase | undefined): boolean =>
      one === 'name' || one === 'connect' || one === 'tls';
    this.#settle();
    const wasConnecting = connecting(this.#current);
    this.#current = phase;
    if (connecting(phase)) {
      if (!wasConnecting) this.#limit(this.#limits.connect, 'to connect');
    } else if (phase === 'firstByte') {
      this.#limit(this.#limits.answer, 'for the answer to begin');
    } else {
      this.#cancelPhase?.();
    }
  }

  #settle(): void {
    const now = this.#clock.elapsed();
    if (this.#current) this.#phases[this.#current] = (this.#phases[this.#current] ?? 0) + now - this.#since;
    this.#since = now;
  }

  #limit(milliseconds: number, what: string): void {
    this.#cancelPhase?.();
    this.#cancelPhase = this.#clock.timer(milliseconds, () => this.#expire(what, milliseconds));
  }

  #expire(what: string, milliseconds: number): void {
    const phase = this.#current;
    const spent = this.#clock.elapsed() - this.#began;
    const problem: Problem = {
      code: 'time-limit',
      message: `no answer within ${seconds(milliseconds)} ${what}; ${phase ? `it was ${PHASE_WORDS[phase]}` : 'the request had not begun'} after ${seconds(spent)}`,
      instead: `a longer timeout: on the call or its service (timeout: ${seconds(milliseconds * 3)})`,
    };
    this.#controller.abort(new ProblemError(problem));
  }

  /** The phases so far, in milliseconds; nothing is watched any more. */
  end(): { phases: Phases; elapsed: number } {
    this.#settle();
    this.#cancelTotal();
    this.#cancelPhase?.();
    this.#outer.removeEventListener('abort', this.#onOuter);
    return { phases: this.#phases, elapsed: this.#clock.elapsed() - this.#began };
  }
}

/** Milliseconds as a person reads them: 800ms, 2.5s. */
function seconds(milliseconds: number): string {
  return milliseconds < 1000 ? `${Math.round(milliseconds)}ms` : `${Math.round(milliseconds / 100) / 10}s`;
}
