import { countOf } from '../../core/count-of.ts';
import { outermostIteration, isOfSignIn } from '../../core/address.ts';
import { whereWords } from '../records/where.ts';
import type { EventOf, RunEvent } from '../../core/events.ts';
import { rowWords } from '../../core/record/row-words.ts';
import { FailureKinds } from './failure-kinds.ts';
import { LoopLines } from './loop-lines.ts';
import { WorkLines } from './work-lines.ts';
import { itemWords, transferWords, waitWords } from './progress-words.ts';
import { briefJson, type SeenStep, StepLines } from './step-lines.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import { wrap, pad, fit, widthOf } from '../terminal/text-width.ts';

/** How often lines are written again at most, in milliseconds. */
const BETWEEN_FRAMES = 80;

/** How often a log is told how far a loop is, in milliseconds. */
const BETWEEN_LOG_LINES = 10_000;

/**
 * Shows a run as it happens, from its events alone: a line a step, and in full what failed. A loop is one line, whatever
 * goes on in its iterations; while it goes on, the iterations under way are shown below it.
 */
export class RunView {
  readonly #terminal: Terminal;
  readonly #lines: StepLines;
  /** Steps that have begun and not ended, by their addresses. */
  readonly #open = new Map<string, SeenStep>();
  /** Loops that stand in no other loop. */
  readonly #loops = new Map<string, LoopLines>();
  readonly #work = new WorkLines();
  /** Steps whose question waits for an answer. */
  readonly #asked = new Set<string>();
  readonly #retryAfter = new RetryAfterWaits();
  /** The same within each of these loops. */
  readonly #retryAfterIn = new Map<string, RetryAfterWaits>();
  #counts = { passed: 0, failed: 0, skipped: 0, accepted: 0 };
  #broken: string[] = [];
  #steps = 0;
  #ending: 'undo' | 'cleanup' | undefined;
  /** What could not be taken back. */
  #notUndone = new FailureKinds();
  #undone = { passed: 0, failed: 0 };
  /** When a log was last told how far a loop is. */
  #lastSaid: number | undefined;
  #lastFrame = -Infinity;

  /** Steps that passed before and have not been shown yet; undefined if each is shown. */
  #passedBeforeNow: number | undefined;

  /** `brief`: of steps that passed before only their number is shown. */
  constructor(terminal: Terminal, brief = false) {
    this.#terminal = terminal;
    if (brief) this.#passedBeforeNow = 0;
    this.#lines = new StepLines(terminal);
  }

  show(event: RunEvent): void {
    this.#retryAfter.take(event);
    const address = 'step' in event ? event.step : undefined;
    // Of what signs in only its failure is shown, with the step that needed it.
    if (address !== undefined && isOfSignIn(address)) return;
    const place = address === undefined ? undefined : placeOf(address);
    const loop = place && this.#loops.get(place.loop);
    if (loop) {
      loop.take(event, place.iteration);
      this.#retryAfterIn.get(place.loop)?.take(event);
    }
    for (const line of this.#work.take(event)) this.#lines.line('warning', line);
    this.#one(event);
    if (loop && this.#loops.has(place.loop) && !this.#terminal.live) {
      // A log is read by somebody who wants to know whether it still goes on.
      this.#lastSaid ??= event.at;
      if (event.at - this.#lastSaid >= BETWEEN_LOG_LINES) {
        this.#lastSaid = event.at;
        this.#lines.line('', loop.soFar());
      }
    } else if (loop && this.#loops.has(place.loop) && event.at - this.#lastFrame >= BETWEEN_FRAMES) {
      this.#lastFrame = event.at;
      this.#lines.live(loop.progress());
    }
  }

  #one(event: RunEvent): void {
    if (event.event === 'step-began' || event.event === 'run-ended') this.#tellPassedBefore();
    switch (event.event) {
      case 'run-began':
        return this.#begin(event);
      case 'run-resumed':
        return this.#resume(event);
      case 'passed-before':
        return this.#passedBefore(event);
      case 'step-began':
        return this.#stepBegan(event);
      case 'asked':
        this.#asked.add(event.step);
        return this.#lines.asking(1);
      case 'loop-began': {
        const step = this.#open.get(event.step);
        if (step && !event.step.includes('[')) {
          this.#loops.set(event.step, new LoopLines(this.#lines, step, event, this.#work));
          this.#retryAfterIn.set(event.step, new RetryAfterWaits());
        }
        return;
      }
      case 'warning':
        return this.#lines.line('warning', event.message);
      case 'step-ended':
        return this.#stepEnded(event);
      case 'undo-began':
        this.#ending = 'undo';
        return;
      case 'cleanup-began':
        return this.#cleanupBegan();
      case 'undo-left':
        return this.#passedBeforeNow === undefined
          ? this.#lines.line('warning', `${leftWords(event)}; batharon cleanup last carries them out`)
          : undefined;
      case 'run-ended':
        return this.#end(event);
      default:
        if ('step' in event) this.#ofStep(event, this.#open.get(event.step));
    }
  }

  /** What an open step has to tell. */
  #ofStep(event: RunEvent, step: SeenStep | undefined): void {
    if (!step) return;
    switch (event.event) {
      case 'signed-in':
        step.notes.push(`signed in as ${event.credential} (${event.kind})`);
        return;
      case 'request-sent':
        step.sent = event;
        return this.#progress(step);
      case 'response-received':
        step.status = event.status;
        step.response = event;
        step.elapsed = event.elapsed;
        if (event.before) step.kept.push('answered before');
        return;
      case 'request-failed':
        if (event.partial) step.partial = event.partial;
        return;
      case 'redirected':
        step.notes.push(
          `redirected to ${event.to}${event.credential === 'removed' ? ', the credential removed' : ''}`,
        );
        return;
      case 'saved':
        step.notes.push(`saved ${event.path}, ${sizeWords(event.size)}`);
        return;
      case 'row-written':
        step.kept.push(rowWords(event));
        return;
      case 'page-received':
        step.pages = event;
        return this.#progress(step, `page ${event.page}, ${event.gathered} items`);
      case 'item-received':
        step.newest = event;
        return this.#progress(step, itemWords(event));
      case 'text-received':
        step.text = event.text;
        return this.#progress(step, step.newest && countOf(step.newest.nth, 'item'));
      case 'transferred':
        return this.#progress(step, transferWords(event, step.sent?.at));
      case 'waiting':
        if (event.why === 'retry' || event.why === 'retry-after') step.repeats++;
        return this.#progress(step, waitWords(event));
      case 'callback-received':
        step.notes.push(`callback received: ${event.method} ${event.url}, answered with ${event.answered}`);
        return;
      case 'expected':
        if (!event.passed) step.failed.push(event);
        step.expected.push(event.condition);
        return;
      case 'kept':
        step.kept.push(`${event.name}: ${briefJson(event.value)}`);
        return;
      case 'shown':
        step.said.push(event.text);
        return;
      default:
    }
  }

  #begin({ chain, environment, guard, run, services }: EventOf<'run-began' | 'run-resumed'>): void {
    this.#lines.run = run;
    const { colours, width } = this.#terminal;
    const right = `run ${run}`;
    // Nobody is to take a guarded environment for another one.
    const guarded = guard === undefined ? '' : `${environment ?? 'this project'}, guarded (${guard})  `;
    const title = fit(chain, width - widthOf(right) - widthOf(guarded) - 2);
    const gap = width - widthOf(right) - widthOf(guarded);
    this.#terminal.write(
      `${colours.bold(colours.yellow(guarded))}${colours.bold(pad(title, gap))}${colours.dim(right)}\n`,
    );
    const where = whereWords(environment, services);
    if (where !== undefined) this.#terminal.write(colours.dim(`        ${fit(where, width - 8)}\n`));
  }

  #resume(event: EventOf<'run-resumed'>): void {
    this.#begin(event);
    if (this.#passedBeforeNow !== undefined) return;
    for (const address of event.changed) this.#lines.line('warning', `${address} has changed since`);
  }

  #passedBefore({ step, title, iterations }: EventOf<'passed-before'>): void {
    const before =
      iterations === undefined ? 'passed before' : `${countOf(iterations, 'iteration')} passed before`;
    const { colours } = this.#terminal;
    if (iterations === undefined && !step.includes('.')) {
      this.#steps++;
      this.#counts.passed++;
    }
    if (this.#passedBeforeNow !== undefined && iterations === undefined) {
      this.#passedBeforeNow++;
      return;
    }
    this.#lines.line(
      colours.dim(iterations === undefined ? 'passed' : ''),
      colours.dim(`${pad(title, 16)} ${before}`),
    );
  }

  #tellPassedBefore(): void {
    const count = this.#passedBeforeNow;
    if (count === undefined || count === 0) return;
    this.#passedBeforeNow = 0;
    const { colours } = this.#terminal;
    this.#lines.line(colours.dim('passed'), colours.dim(`${countOf(count, 'step')} passed before`));
  }

  #stepBegan(event: EventOf<'step-began'>): void {
    const around = [...this.#open.values()].filter(
      ({ began }) =>
        (began.type === 'group' || began.type === 'follow') && event.step.startsWith(`${began.step}.`),
    );
    const step: SeenStep = {
      began: event,
      depth: around.length,
      kept: [],
      failed: [],
      expected: [],
      said: [],
      notes: [],
      elapsed: 0,
      repeats: 0,
    };
    this.#open.set(event.step, step);
    this.#progress(step);
  }

  /** The line of the step that is under way; written again in place, and only on a terminal. */
  #progress(step: SeenStep, note = ''): void {
    const { began } = step;
    if (isInIteration(began.step) || ['ask', 'group', 'each', 'repeat', 'follow'].includes(began.type))
      return;
    const lines = this.#lines;
    const what = [began.request, note].filter((text) => text !== undefined && text !== '').join('  ');
    lines.live([`${lines.paint('waits')}${lines.name(step)} ${what}`, ...lines.growing(step.text)]);
  }

  #stepEnded(event: EventOf<'step-ended'>): void {
    if (this.#asked.delete(event.step)) this.#lines.asking(-1);
    const step = this.#open.get(event.step);
    if (!step) return;
    this.#open.delete(event.step);
    if (this.#ending === 'undo') return this.#undoEnded(step, event);
    if (isInIteration(event.step)) return this.#endedInIteration(step, event);
    const outer = ['group', 'follow'].includes(step.began.type);
    const loop = this.#loops.get(event.step);
    if (!outer && this.#ending === undefined) {
      this.#steps++;
      if (event.outcome === 'passed') this.#counts.passed++;
      else if (event.outcome === 'skipped') this.#counts.skipped++;
      else if (event.outcome === 'accepted') this.#counts.accepted++;
      else this.#counts.failed++;
    }
    if (event.outcome === 'failed' && !outer) this.#broken.push(step.began.title);
    const silent =
      (outer && event.outcome === 'passed' && step.kept.length === 0) ||
      (step.began.type === 'plain' &&
        event.outcome === 'passed' &&
        step.kept.length + step.expected.length === 0);
    if (loop) {
      loop.end(event, this.#retryAfterIn.get(event.step)?.words() ?? '');
      this.#loops.delete(event.step);
    } else if (!silent) this.#lines.step(step, event);
    this.#notesOf(step);
    if (event.outcome === 'failed' && event.problem) this.#lines.failure(step, event);
  }

  #notesOf({ notes, said }: SeenStep): void {
    for (const note of notes) this.#lines.line('', this.#terminal.colours.dim(note));
    for (const text of said) this.#lines.line('shows', text);
  }

  /** Of the steps of an iteration only what they say is shown, and what failed, once the loop has ended. */
  #endedInIteration(step: SeenStep, event: EventOf<'step-ended'>): void {
    for (const text of step.said) this.#lines.line('shows', text);
    const place = placeOf(event.step);
    if (event.outcome === 'failed' && event.problem)
      this.#loops.get(place.loop)?.failed(step, event, place.iteration ?? 0);
  }

  #undoEnded(step: SeenStep, event: EventOf<'step-ended'>): void {
    if (event.outcome !== 'failed') {
      this.#undone.passed++;
      const { passed, failed } = this.#undone;
      this.#lines.live([`${this.#lines.paint('waits')}undo             ${passed + failed} steps`]);
      return;
    }
    this.#undone.failed++;
    this.#notUndone.add(step, event);
  }

  #cleanupBegan(): void {
    const first = this.#ending !== 'cleanup';
    this.#endUndo();
    if (first) this.#lines.line('', this.#terminal.colours.dim('cleanup'));
    this.#ending = 'cleanup';
  }

  #endUndo(): void {
    if (this.#ending !== 'undo') return;
    this.#ending = undefined;
    const { passed, failed } = this.#undone;
    const text =
      failed === 0
        ? `${countOf(passed, 'step')} taken back`
        : `${passed} of ${countOf(passed + failed, 'step')} taken back`;
    if (failed > 0) this.#broken.push('undo');
    this.#lines.line(failed === 0 ? 'passed' : 'failed', `${pad('undo', 16)} ${text}`);
    this.#notUndone.write(this.#lines);
  }

  #end({ outcome, calls, elapsed, problem }: EventOf<'run-ended'>): void {
    this.#endUndo();
    this.#lines.erase();
    const { colours } = this.#terminal;
    if (problem) {
      const lines = this.#lines;
      lines.line('failed', problem.message);
      if (problem.hint !== undefined) lines.row('hint', problem.hint);
      if (problem.place)
        lines.row('at', `${problem.place.file}:${problem.place.line}:${problem.place.column}`);
      lines.code(problem.code);
    }
    const where =
      this.#broken.length > 0
        ? ` at ${this.#broken[0]!}${this.#broken.length > 1 ? ` and ${this.#broken.length - 1} more` : ''}`
        : '';
    const skipped = this.#counts.skipped > 0 ? `, ${this.#counts.skipped} skipped` : '';
    const accepted = this.#counts.accepted > 0 ? `, ${this.#counts.accepted} failed as accepted` : '';
    const steps = `${this.#counts.passed} of ${countOf(this.#steps, 'step')} passed${accepted}${skipped}`;
    const waited = this.#retryAfter.words();
    const summary = `${outcome}${where}. ${steps}, ${countOf(calls, 'call')}, ${timeWords(elapsed)}${waited === '' ? '' : `, ${waited}`}.`;
    const paint = outcome === 'passed' ? colours.green : outcome === 'failed' ? colours.red : colours.yellow;
    for (const line of wrap(summary, this.#terminal.wrapWidth)) this.#terminal.write(`${paint(line)}\n`);
  }
}

/** How long the run has waited because services said so; iterations that wait at the same time wait once. */
class RetryAfterWaits {
  readonly #until = new Map<string, number>();
  readonly #waited = new Map<string, number>();

  take(event: RunEvent): void {
    if (event.event !== 'waiting' || event.why !== 'retry-after' || event.service === undefined) return;
    const { at, service } = event;
    const from = Math.max(at, this.#until.get(service) ?? 0);
    const until = Math.max(from, at + event.for);
    this.#until.set(service, until);
    this.#waited.set(service, (this.#waited.get(service) ?? 0) + until - from);
  }

  words(): string {
    return [...this.#waited]
      .map(([service, waited]) => `waited ${timeWords(waited)} (Retry-After from ${service})`)
      .join(', ');
  }
}

function isInIteration(address: string): boolean {
  return address.includes('[');
}

/** The outermost loop that an address leads into, and the iteration of it. */
function placeOf(address: string): { readonly loop: string; readonly iteration?: number } {
  return outermostIteration(address) ?? { loop: address };
}

/** How much was left of undo and cleanup, in words. */
export function leftWords({ cleanup, undo }: EventOf<'undo-left'>): string {
  const steps = undo + cleanup;
  return `${countOf(steps, 'step')} of undo and cleanup left`;
}
