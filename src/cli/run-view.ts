import type { EventOf, RunEvent } from '../core/events.ts';
import { shorten, visible } from '../core/language/show.ts';
import { chop, fit, pad, padStart, sizeWords, type Terminal, timeWords, widthOf, wrap } from './terminal.ts';

const MARK = 8;
const LABEL = 10;

interface OpenStep {
  readonly began: EventOf<'step-began'>;
  readonly depth: number;
  status?: number;
  readonly kept: string[];
  readonly failed: EventOf<'expected'>[];
  readonly said: string[];
  readonly notes: string[];
  answer?: EventOf<'answer-came'>;
  sent?: EventOf<'request-sent'>;
  elapsed: number;
}

/** Shows a run as it happens, from its events alone: a line a step, and in full what broke. */
export class RunView {
  readonly #terminal: Terminal;
  readonly #open: OpenStep[] = [];
  #nameWidth = 16;
  #live = false;
  #counts = { held: 0, broke: 0, skipped: 0 };
  #broken: string[] = [];
  #steps = 0;
  #cleanup = false;

  constructor(terminal: Terminal) {
    this.#terminal = terminal;
  }

  show(event: RunEvent): void {
    switch (event.event) {
      case 'run-began':
        return this.#begin(event);
      case 'step-began':
        return this.#stepBegan(event);
      case 'signed-in':
        this.#current()?.notes.push(`signed in as ${event.credential} (${event.kind})`);
        return;
      case 'request-sent': {
        const step = this.#current();
        if (step) step.sent = event;
        return this.#progress();
      }
      case 'answer-came': {
        const step = this.#current();
        if (!step) return;
        step.status = event.status;
        step.answer = event;
        step.elapsed = event.elapsed;
        return;
      }
      case 'redirected':
        this.#current()?.notes.push(
          `redirected to ${event.to}${event.credential === 'left behind' ? ', the credential left behind' : ''}`,
        );
        return;
      case 'saved':
        this.#current()?.notes.push(`saved ${event.path}, ${sizeWords(event.size)}`);
        return;
      case 'waiting':
        return this.#progress(`for ${timeWords(event.for)}`);
      case 'expected':
        if (!event.held) this.#current()?.failed.push(event);
        return;
      case 'kept':
        this.#current()?.kept.push(`${event.name}: ${briefJson(event.value)}`);
        return;
      case 'said':
        this.#current()?.said.push(event.text);
        return;
      case 'remark':
        return this.#line('remark', event.message);
      case 'step-ended':
        return this.#stepEnded(event);
      case 'cleanup-began':
        this.#cleanup = true;
        return this.#line('', this.#terminal.colours.dim('cleanup'));
      case 'run-ended':
        return this.#end(event);
      default:
    }
  }

  #current(): OpenStep | undefined {
    return this.#open.at(-1);
  }

  #paint(mark: string): string {
    const { colours } = this.#terminal;
    const padded = pad(mark, MARK);
    if (mark === 'held') return colours.green(padded);
    if (mark === 'broke') return colours.bold(colours.red(padded));
    if (mark === 'skipped' || mark === 'waits') return colours.dim(padded);
    if (mark === 'cut off' || mark === 'remark') return colours.yellow(padded);
    if (mark === 'says') return colours.cyan(padded);
    return padded;
  }

  #erase(): void {
    if (this.#live) this.#terminal.write('\r\u001b[2K');
    this.#live = false;
  }

  /** A mark, and a text that goes on below itself where it is long. */
  #line(mark: string, text: string): void {
    this.#erase();
    const [first = '', ...rest] = wrap(text, this.#terminal.wrapWidth - MARK);
    this.#terminal.write(`${this.#paint(mark)}${first}\n`.trimEnd() + '\n');
    for (const line of rest) this.#terminal.write(`${' '.repeat(MARK)}${line}\n`);
  }

  #begin({ chain, environment, run }: EventOf<'run-began'>): void {
    const { colours, width } = this.#terminal;
    const right = `${environment === undefined ? '' : `${environment} · `}run ${run}`;
    const title = fit(chain, width - widthOf(right) - 2);
    this.#terminal.write(`${colours.bold(pad(title, width - widthOf(right)))}${colours.dim(right)}\n`);
  }

  #stepBegan(event: EventOf<'step-began'>): void {
    const depth = this.#open.filter(({ began }) => began.type === 'group').length;
    this.#open.push({ began: event, depth, kept: [], failed: [], said: [], notes: [], elapsed: 0 });
    this.#progress();
  }

  /** The line of the step that is under way; written again in place, and only on a terminal. */
  #progress(note = ''): void {
    const step = this.#current();
    if (!step || !this.#terminal.live || step.began.type === 'group') return;
    this.#erase();
    const text = `${this.#paint('waits')}${pad(this.#name(step), this.#nameWidth)} ${step.began.request ?? note}`;
    this.#terminal.write(fit(text, this.#terminal.width + 8));
    this.#live = true;
  }

  #name({ began, depth }: OpenStep): string {
    return fit(
      '  '.repeat(depth) +
        (began.request === undefined || began.title !== began.request ? began.title : `step ${began.step}`),
      this.#nameWidth,
    );
  }

  #stepEnded(event: EventOf<'step-ended'>): void {
    const step = this.#open.pop();
    if (!step) return;
    const group = step.began.type === 'group';
    if (!group && !this.#cleanup) {
      this.#steps++;
      if (event.outcome === 'held') this.#counts.held++;
      else if (event.outcome === 'skipped') this.#counts.skipped++;
      else this.#counts.broke++;
    }
    if (event.outcome === 'broke' && !group) this.#broken.push(step.began.title);
    const silent =
      (group && event.outcome === 'held') ||
      (step.began.type === 'plain' && event.outcome === 'held' && step.kept.length === 0);
    if (!silent) this.#stepLine(step, event);
    for (const note of step.notes) this.#line('', this.#terminal.colours.dim(note));
    for (const text of step.said) this.#line('says', text);
    if (event.outcome === 'broke' && !(group && event.problem === undefined)) this.#failure(step, event);
  }

  #stepLine(step: OpenStep, event: EventOf<'step-ended'>): void {
    this.#erase();
    const { colours, width } = this.#terminal;
    const status = padStart(step.status === undefined ? '' : String(step.status), 4);
    const time = padStart(event.outcome === 'skipped' ? '' : timeWords(step.elapsed || event.elapsed), 9);
    const head = `${pad(this.#name(step), this.#nameWidth)} ${status} ${time}`;
    const request = step.sent
      ? `${step.sent.method} ${step.sent.written}`
      : (step.began.request ?? (step.began.type === 'wait' ? 'wait' : ''));
    const tail = event.outcome === 'skipped' ? (event.reason ?? '') : step.kept.join(' · ');
    const gap = request !== '' && tail !== '' ? 2 : 0;
    const rest = Math.max(0, width - MARK - widthOf(head) - 2);
    // Where there is no terminal nothing is cut, so that it can be searched.
    const whole = this.#terminal.wrapWidth === Infinity;
    const share = Math.min(rest, Math.max(24, rest - Math.min(widthOf(tail), 28) - gap));
    const left = whole ? request : fit(request, tail === '' ? rest : share);
    const right = whole ? tail : fit(tail, rest - widthOf(left) - gap);
    this.#terminal.write(
      `${this.#paint(event.outcome)}${head}  ${left}${left !== '' && right !== '' ? '  ' : ''}${colours.dim(right)}`.trimEnd() +
        '\n',
    );
  }

  /** A label and a text beside it, on as many lines as it needs. */
  #row(label: string, text: string, breakLines = wrap): void {
    const { colours, wrapWidth } = this.#terminal;
    breakLines(text, wrapWidth - MARK - LABEL - 1).forEach((line, i) =>
      this.#terminal.write(`${' '.repeat(MARK)}${colours.dim(pad(i === 0 ? label : '', LABEL))} ${line}\n`),
    );
  }

  /** What was expected, what came, where it stands. */
  #failure({ failed, answer, sent, began }: OpenStep, { problem }: EventOf<'step-ended'>): void {
    const { colours, width } = this.#terminal;
    const row = this.#row.bind(this);
    for (const one of failed) {
      row('expected', one.condition);
      row('came', colours.bold(one.came ?? ''));
      if (one.because !== undefined) row('because', one.because);
      if (one.instead !== undefined) row('instead', one.instead);
    }
    if (failed.length === 0 && problem) {
      row('problem', colours.bold(problem.message));
      if (problem.instead !== undefined) row('instead', problem.instead);
    }
    if (sent) {
      const attempt =
        (answer?.attempt ?? sent.attempt) > 1 ? ` · attempt ${answer?.attempt ?? sent.attempt}` : '';
      row('call', `${sent.method} ${sent.url}${answer ? ` · ${answer.status}` : ''}${attempt}`);
      if (sent.body?.text !== undefined)
        row('sent', fit(oneLine(sent.body.text), 2 * (width - MARK - LABEL - 1)), chop);
    }
    if (answer && answer.body.size > 0)
      row(
        'answer',
        fit(
          answer.body.text === undefined
            ? `${answer.body.size} bytes of ${answer.body.type ?? 'unknown type'}`
            : oneLine(answer.body.text),
          2 * (width - MARK - LABEL - 1),
        ),
        chop,
      );
    const place = failed[0]?.place ?? problem?.place ?? began.place;
    row('stands', `${place.file}:${place.line}:${place.column}`);
    const code = problem?.code;
    if (code !== undefined) row('code', `${code} ${colours.dim(`(batharon explain ${code})`)}`);
  }

  #end({ outcome, calls, elapsed, problem }: EventOf<'run-ended'>): void {
    this.#erase();
    const { colours } = this.#terminal;
    if (problem) {
      this.#line('broke', problem.message);
      const row = this.#row.bind(this);
      if (problem.instead !== undefined) row('instead', problem.instead);
      if (problem.place) row('stands', `${problem.place.file}:${problem.place.line}:${problem.place.column}`);
      row('code', `${problem.code} ${colours.dim(`(batharon explain ${problem.code})`)}`);
    }
    const where =
      this.#broken.length > 0
        ? ` at ${this.#broken[0]!}${this.#broken.length > 1 ? ` and ${this.#broken.length - 1} more` : ''}`
        : '';
    const skipped = this.#counts.skipped > 0 ? `, ${this.#counts.skipped} skipped` : '';
    const steps = `${this.#counts.held} of ${this.#steps} step${this.#steps === 1 ? '' : 's'} held${skipped}`;
    const summary = `${outcome}${where}. ${steps}, ${calls} call${calls === 1 ? '' : 's'}, ${timeWords(elapsed)}.`;
    const paint = outcome === 'held' ? colours.green : outcome === 'broke' ? colours.red : colours.yellow;
    for (const line of wrap(summary, this.#terminal.wrapWidth)) this.#terminal.write(`${paint(line)}\n`);
  }
}

function oneLine(text: string): string {
  return text.replace(/\s+/g, ' ').trim();
}

/** A value for a line: a text as it is, a list by its length, anything else as JSON. */
function briefJson(json: string): string {
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
