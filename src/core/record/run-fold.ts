import type { EventOf, RunEvent } from '../events.ts';
import type { RecordedRun, RecordedStep, RecordedIteration } from './recorded-run.ts';

/** Whether a step at one address takes back what the step at another one did. */
export function isUndoOf(address: string, step: string): boolean {
  return address.startsWith(`${step}.undo`);
}

/** Makes a run of its events, one after the other. */
export class RunFold {
  #run: RecordedRun | undefined;
  readonly #steps = new Map<string, RecordedStep>();
  readonly #iterations = new Map<string, RecordedIteration>();
  #ending: 'steps' | 'undo' | 'cleanup' = 'steps';
  /** What was booked and is taken back, and steps of whose undo some part has failed. */
  readonly #takenBack = new Map<string, EventOf<'undo-booked'>>();
  readonly #notUndone = new Set<string>();
  #cleaning = false;
  #pauses = 0;
  #lastAt = 0;

  /** The run; nothing before its first event. */
  get run(): RecordedRun | undefined {
    return this.#run;
  }

  /** A step by its address at run time. */
  step(address: string): RecordedStep | undefined {
    return this.#steps.get(address);
  }

  take(event: RunEvent): void {
    if (event.event === 'run-began') this.#begin(event);
    const run = this.#run;
    if (!run) return;
    if (event.event === 'run-resumed') this.#resume(run, event);
    run.lastAt = this.#lastAt = Math.max(this.#lastAt, event.at);
    if ('step' in event && event.step !== undefined) this.#ofStep(run, event as RunEvent & { step: string });
    else this.#ofRun(run, event);
  }

  #begin(event: EventOf<'run-began'>): void {
    this.#run = {
      id: event.run,
      chain: event.chain,
      file: event.file,
      ...(event.environment === undefined ? {} : { environment: event.environment }),
      services: event.services ?? {},
      at: event.at,
      lastAt: event.at,
      outcome: 'unfinished',
      elapsed: 0,
      calls: 0,
      inputs: event.inputs,
      values: Object.fromEntries(
        Object.entries(event.values ?? {}).map(([name, { value }]) => [name, value] as const),
      ),
      results: {},
      files: event.files ?? [],
      part: event.part ?? false,
      ...(event.spread ? { isSpread: true as const } : {}),
      resumed: 0,
      steps: [],
      undo: [],
      cleanup: [],
      booked: [],
      warnings: [],
    };
    this.#lastAt = event.at;
  }

  #resume(run: RecordedRun, event: EventOf<'run-resumed'>): void {
    this.#pauses += event.at - this.#lastAt;
    this.#cleaning = event.cleanup ?? false;
    this.#ending = 'steps';
    this.#notUndone.clear();
    if (event.cleanup) return;
    run.resumed++;
    run.outcome = 'unfinished';
    run.files = event.files ?? run.files;
    const anew = Object.entries(event.inputs ?? {}).map(([name, { value }]) => [name, value] as const);
    run.inputs = { ...run.inputs, ...Object.fromEntries(anew) };
    delete run.exit;
    delete run.problem;
    delete run.left;
  }

  #time(at: number): number {
    return at - this.#run!.at - this.#pauses;
  }

  #ofRun(run: RecordedRun, event: RunEvent): void {
    run.elapsed = this.#time(event.at);
    switch (event.event) {
      case 'undo-began':
        this.#ending = 'undo';
        return;
      case 'cleanup-began':
        this.#ending = 'cleanup';
        return;
      case 'undo-left':
        run.left = event;
        return;
      case 'warning':
        run.warnings.push(event);
        return;
      case 'run-ended':
        // What was left says nothing of how the run itself ended, unless it failed.
        if (this.#cleaning && event.exit === 0) {
          delete run.left;
          return;
        }
        run.outcome = event.outcome;
        run.exit = event.exit;
        run.results = event.results;
        if (event.problem) run.problem = event.problem;
        return;
      default:
    }
  }

  #ofStep(run: RecordedRun, event: RunEvent & { step: string }): void {
    run.elapsed = this.#time(event.at);
    if (event.event === 'request-sent') run.calls++;
    if (event.event === 'step-began') return this.#stepBegan(run, event);
    if (event.event === 'undo-booked') {
      run.booked = [...run.booked.filter(({ step }) => step !== event.step), event];
      return;
    }
    const step = this.#steps.get(event.step);
    if (step) this.#tell(step, event);
  }

  #stepBegan(run: RecordedRun, event: EventOf<'step-began'>): void {
    const known = this.#steps.get(event.step);
    if (known) {
      // It is carried out again, now that the run goes on.
      known.before = {
        outcome: known.outcome ?? 'unfinished',
        elapsed: known.elapsed + (known.before?.elapsed ?? 0),
        attempts: known.attempts.length,
        ...(known.problem ? { problem: known.problem } : {}),
      };
      known.began = event;
      known.elapsed = 0;
      // What stands in it and passed before is drawn where it was.
      if (known.steps.length + known.iterations.length === 0) known.from = this.#time(event.at);
      known.waits.length = 0;
      known.expected = [];
      delete known.outcome;
      delete known.problem;
      delete known.reason;
      return;
    }
    const around = this.#iterations.get(event.step.slice(0, event.step.lastIndexOf(']') + 1));
    const item = around?.title ?? around?.item;
    const step: RecordedStep = {
      address: event.step,
      ...(item === undefined ? {} : { item }),
      began: event,
      from: this.#time(event.at),
      elapsed: 0,
      attempts: [],
      waits: [],
      kept: new Map(),
      expected: [],
      said: [],
      warnings: [],
      signIns: [],
      saved: [],
      arrived: [],
      steps: [],
      iterations: [],
    };
    this.#steps.set(event.step, step);
    this.#around(run, event.step).push(step);
  }

  /** The list that a step belongs to: of the iteration or the step around it, or of the run. */
  #around(run: RecordedRun, address: string): RecordedStep[] {
    const undo = address.indexOf('.undo.');
    for (let at = address.length - 1; at > 0; at--) {
      if (address[at] !== '.') continue;
      // What takes a step back stands with the rest of undo, not in the step.
      if (this.#ending === 'undo' && at <= undo) break;
      // What signs in for a step stands in it: `list@office.login`.
      const outer = address.slice(0, at).replace(/@[^.[\]]*$/, '');
      const found = outer.endsWith(']') ? this.#iterations.get(outer) : this.#steps.get(outer);
      if (found) return found.steps;
    }
    return run[this.#ending];
  }

  #tell(step: RecordedStep, event: RunEvent): void {
    switch (event.event) {
      case 'request-sent':
        step.attempts.push({ sent: event, from: this.#time(event.at) });
        return;
      case 'response-received':
      case 'request-failed':
      case 'redirected': {
        const attempt =
          step.attempts.findLast((one) => one.sent.attempt === event.attempt) ?? step.attempts.at(-1);
        if (!attempt) return;
        if (event.event === 'response-received') attempt.response = event;
        else if (event.event === 'request-failed') attempt.failed = event;
        else attempt.redirected = event;
        return;
      }
      case 'waiting':
        step.waits.push({ event, from: this.#time(event.at) });
        return;
      case 'loop-began':
        step.iterationsBegan = event;
        return;
      case 'iteration-began':
        this.#iterationBegan(step, event);
        return;
      case 'iteration-ended': {
        const iteration = this.#iterations.get(`${event.step}[${event.iteration}]`);
        if (!iteration) return;
        iteration.outcome = event.outcome;
        iteration.elapsed = event.elapsed;
        if (event.failed !== undefined) iteration.failed = event.failed;
        if (event.problem) iteration.problem = event.problem;
        return;
      }
      case 'page-received':
        step.pages = event;
        return;
      case 'item-received': {
        const attempt = step.attempts.at(-1);
        const { at, item, nth } = event;
        if (attempt) (attempt.items ??= []).push({ nth, item, after: at - attempt.sent.at });
        return;
      }
      case 'callback-received':
        step.arrived.push(event);
        return;
      case 'expected':
        step.expected.push(event);
        return;
      case 'kept':
        step.kept.set(event.name, event);
        return;
      case 'saved':
        step.saved.push(event);
        return;
      case 'row-written':
        step.row = event;
        return;
      case 'shown':
        step.said.push(event.text);
        return;
      case 'signed-in':
        step.signIns.push(event);
        return;
      case 'warning':
        step.warnings.push(event);
        return;
      case 'step-ended':
        step.outcome = event.outcome;
        step.elapsed = event.elapsed;
        if (event.reason !== undefined) step.reason = event.reason;
        if (event.problem) step.problem = event.problem;
        if (event.iterations) step.iterationsEnded = event.iterations;
        if (event.states !== undefined) step.states = event.states;
        if (this.#ending === 'undo') this.#undone(event);
        return;
      default:
    }
  }

  #iterationBegan(step: RecordedStep, event: EventOf<'iteration-began'>): void {
    const address = `${event.step}[${event.iteration}]`;
    const known = this.#iterations.get(address);
    if (known) {
      known.elapsed = 0;
      delete known.outcome;
      delete known.failed;
      delete known.problem;
      return;
    }
    const iteration: RecordedIteration = {
      iteration: event.iteration,
      ...(event.item === undefined ? {} : { item: event.item }),
      ...(event.title === undefined ? {} : { title: event.title }),
      from: this.#time(event.at),
      elapsed: 0,
      steps: [],
    };
    this.#iterations.set(address, iteration);
    step.iterations.push(iteration);
  }

  /** A step of undo has ended. What was booked is carried out once none of its steps has failed. */
  #undone({ outcome, step }: EventOf<'step-ended'>): void {
    const run = this.#run!;
    if (outcome === 'passed') {
      const done = run.booked.filter((one) => isUndoOf(step, one.step) && !this.#notUndone.has(one.step));
      for (const one of done) this.#takenBack.set(one.step, one);
      run.booked = run.booked.filter((one) => !done.includes(one));
    } else if (outcome === 'failed' || outcome === 'interrupted') {
      const again = [...this.#takenBack.values()].filter((one) => isUndoOf(step, one.step));
      for (const one of again) this.#takenBack.delete(one.step);
      run.booked.push(...again);
      for (const one of run.booked) if (isUndoOf(step, one.step)) this.#notUndone.add(one.step);
    }
  }
}
