import type { EventOf } from '../../core/events.ts';
import { countOf } from '../../core/count-of.ts';
import { shorten, visible } from '../../core/language/show.ts';
import { isHeld, questionsAsked } from '../terminal/standard-streams.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';
import { wrap, chop, padStart, pad, fit, widthOf } from '../terminal/text-width.ts';

/** The columns of the marks at the left, and of the labels of what failed. */
export const MARK = 8;
const LABEL = 10;
/** So many lines of a text that grows are shown. */
const GROWING = 6;

/** A step, as its events have told it so far. */
export interface SeenStep {
  readonly began: EventOf<'step-began'>;
  /** How many groups it stands in. */
  readonly depth: number;
  status?: number;
  readonly kept: string[];
  readonly failed: EventOf<'expected'>[];
  /** All that was expected of it. */
  readonly expected: string[];
  readonly said: string[];
  readonly notes: string[];
  response?: EventOf<'response-received'>;
  /** What came of a response that broke off. */
  partial?: EventOf<'request-failed'>['partial'];
  sent?: EventOf<'request-sent'>;
  elapsed: number;
  /** How often its request was sent again, because of its response or because none came. */
  repeats: number;
  pages?: EventOf<'page-received'>;
  /** The newest item of a stream. */
  newest?: EventOf<'item-received'>;
  /** The end of the text that a stream shows while it comes. */
  text?: string;
}

/** Writes the lines of a view: a mark in a fixed left column, and a text beside it. */
export class StepLines {
  readonly terminal: Terminal;
  /** The run that is shown, where it is recorded. */
  run: string | undefined;
  #nameWidth = 16;
  #liveLines = 0;
  /** How many questions had been asked then. */
  #liveSince = 0;
  /** So many questions wait for an answer: nothing is written in place meanwhile. */
  #questions = 0;

  constructor(terminal: Terminal) {
    this.terminal = terminal;
  }

  paint(mark: string): string {
    const { colours } = this.terminal;
    // A word as long as the column still stands apart from what follows.
    const padded = mark.length < MARK ? pad(mark, MARK) : `${mark} `;
    if (mark === 'passed') return colours.green(padded);
    if (mark === 'failed') return colours.bold(colours.red(padded));
    if (mark === 'skipped' || mark === 'waits') return colours.dim(padded);
    if (mark === 'interrupted' || mark === 'warning' || mark === 'accepted') return colours.yellow(padded);
    if (mark === 'shows') return colours.cyan(padded);
    return padded;
  }

  /** Takes away the lines that are written again in place. */
  erase(): void {
    if (this.#liveLines > 0 && this.#liveSince === questionsAsked()) this.terminal.takeAway(this.#liveLines);
    this.#liveLines = 0;
  }

  /** A question is asked, or answered. */
  asking(more: 1 | -1): void {
    this.erase();
    this.#questions = Math.max(0, this.#questions + more);
  }

  /** Writes lines that stay until something else is written; only on a terminal. */
  live(lines: readonly string[]): void {
    if (!this.terminal.live || this.#questions > 0 || isHeld(2)) return;
    this.erase();
    this.terminal.write(lines.map((line) => fit(line, this.terminal.width)).join('\n'));
    this.#liveLines = lines.length;
    this.#liveSince = questionsAsked();
  }

  /** The last lines of a text that grows. */
  growing(text: string | undefined): string[] {
    if (text === undefined) return [];
    const { colours, width } = this.terminal;
    const lines = text.split('\n').flatMap((line) => wrap(visible(line), width - MARK - 1));
    return lines.slice(-GROWING).map((line) => ' '.repeat(MARK) + colours.cyan(line));
  }

  /** A mark, and a text that goes on below itself where it is long. */
  line(mark: string, text: string): void {
    this.erase();
    const [first = '', ...rest] = wrap(text, this.terminal.wrapWidth - MARK);
    this.terminal.write(`${this.paint(mark)}${first}\n`.trimEnd() + '\n');
    for (const line of rest) this.terminal.write(`${' '.repeat(MARK)}${line}\n`);
  }

  /** A name in its column. */
  name({ began, depth }: Pick<SeenStep, 'began' | 'depth'>): string {
    // Of an unnamed call, what it does stands beside its name.
    const title = began.title === began.request ? '' : began.title;
    return pad(fit('  '.repeat(depth) + title, this.#nameWidth), this.#nameWidth);
  }

  /** One step that has ended: how, its status, its time, its request, and what it kept. */
  step(step: SeenStep, event: EventOf<'step-ended'>): void {
    this.erase();
    const { colours, width } = this.terminal;
    const status = padStart(step.status === undefined ? '' : String(step.status), 4);
    const time = padStart(event.outcome === 'skipped' ? '' : timeWords(elapsedOf(step, event)), 9);
    const head = `${this.name(step)} ${status} ${time}`;
    const request = step.sent
      ? `${step.began.request === undefined ? step.sent.method : step.began.request.split(' ')[0]!} ${step.sent.written}`
      : (step.began.request ?? (step.began.type === 'wait' ? 'wait' : ''));
    const pages = step.pages ? [`${countOf(step.pages.page, 'page')}, ${step.pages.gathered} items`] : [];
    const single = !step.pages && event.states === undefined;
    const attempts = single && step.repeats > 0 ? [`${step.repeats + 1} attempts`] : [];
    const tail =
      event.outcome === 'skipped'
        ? (event.reason ?? '')
        : [
            ...pages,
            ...attempts,
            ...(event.states === undefined ? [] : [event.states]),
            ...step.kept,
            ...expectedWords(step, event),
          ].join(' · ');
    const gap = request !== '' && tail !== '' ? 2 : 0;
    const rest = Math.max(0, width - MARK - widthOf(head) - 2);
    // Where there is no terminal nothing is cut, so that it can be searched.
    const whole = this.terminal.wrapWidth === Infinity;
    const share = Math.min(rest, Math.max(24, rest - Math.min(widthOf(tail), 28) - gap));
    const left = whole ? request : fit(request, tail === '' ? rest : share);
    const right = whole ? tail : fit(tail, rest - widthOf(left) - gap);
    this.terminal.write(
      `${this.paint(event.outcome)}${head}  ${left}${left !== '' && right !== '' ? '  ' : ''}${colours.dim(right)}`.trimEnd() +
        '\n',
    );
    if (event.outcome === 'passed' && event.reason !== undefined) this.row('because', event.reason);
    if (event.outcome === 'accepted' && event.problem)
      this.row('because', `${event.problem.code}: ${event.problem.message}`);
  }

  /** A label and a text beside it, on as many lines as it needs. */
  row(label: string, text: string, breakLines = wrap): void {
    const { colours, wrapWidth } = this.terminal;
    breakLines(text, wrapWidth - MARK - LABEL - 1).forEach((line, i) =>
      this.terminal.write(`${' '.repeat(MARK)}${colours.dim(pad(i === 0 ? label : '', LABEL))} ${line}\n`),
    );
  }

  /** What was expected, what came, where it stands. */
  failure({ failed, response, partial, sent, began }: SeenStep, { problem }: EventOf<'step-ended'>): void {
    const { colours, width } = this.terminal;
    for (const one of failed) {
      this.row('expected', one.condition);
      this.row('got', colours.bold(one.got ?? ''));
      if (one.because !== undefined) this.row('because', one.because);
      if (one.hint !== undefined) this.row('hint', one.hint);
    }
    if (failed.length === 0 && problem) {
      this.row('problem', colours.bold(problem.message));
      if (problem.hint !== undefined) this.row('hint', problem.hint);
    }
    const room = 2 * (width - MARK - LABEL - 1);
    if (sent) {
      const last = response?.attempt ?? sent.attempt;
      const page = sent.page === undefined || sent.page === 1 ? '' : ` · page ${sent.page}`;
      const status = response ? ` · ${response.status}` : partial ? ` · ${partial.status}` : '';
      this.row('call', `${sent.method} ${sent.url}${status}${last > 1 ? ` · attempt ${last}` : ''}${page}`);
      if (sent.body?.text !== undefined) this.row('sent', fit(oneLine(sent.body.text), room), chop);
    }
    const body = response?.body ?? partial?.body;
    if (body && body.size > 0) {
      const { size, text, type } = body;
      const shown = text === undefined ? `${size} bytes of ${type ?? 'unknown type'}` : oneLine(text);
      this.row(response ? 'response' : 'got', fit(shown, room), chop);
    }
    if (this.run !== undefined && sent) this.row('details', `batharon view ${this.run}:${began.step}`);
    const place = failed[0]?.place ?? problem?.place ?? began.place;
    this.row('at', `${place.file}:${place.line}:${place.column}`);
    if (problem) this.code(problem.code);
  }

  code(code: string): void {
    this.row('code', `${code} ${this.terminal.colours.dim(`(batharon explain ${code})`)}`);
  }
}

/** What a step that sends nothing was there to hold. */
function expectedWords({ began, expected }: SeenStep, { outcome }: EventOf<'step-ended'>): string[] {
  if (began.type !== 'plain' || outcome !== 'passed' || expected.length === 0) return [];
  return [expected.length === 1 ? expected[0]! : countOf(expected.length, 'expectation')];
}

/** The time of one request, or that of all where there were several. */
function elapsedOf(step: SeenStep, event: EventOf<'step-ended'>): number {
  const one = step.sent?.attempt === 1 && step.pages === undefined && event.states === undefined;
  return one && step.elapsed > 0 ? step.elapsed : event.elapsed;
}

function oneLine(text: string): string {
  return text.replace(/\s+/g, ' ').trim();
}

/** A value for a line: a text as it is, a list by its length, anything else as JSON. */
export function briefJson(json: string): string {
  if (json.startsWith('[') || json.startsWith('"')) {
    try {
      const value = JSON.parse(json) as unknown;
      return typeof value === 'string'
        ? visible(shorten(value, 40))
        : `list of ${(value as unknown[]).length}`;
    } catch {
      // a list whose numbers or masks the platform does not read
    }
  }
  return shorten(json, 40);
}
