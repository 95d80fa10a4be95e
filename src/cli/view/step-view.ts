import type { EventOf } from '../../core/events.ts';
import { visible } from '../../core/language/show.ts';
import type { Phases } from '../../core/ports.ts';
import { countOf } from '../../core/count-of.ts';
import type { Before, RecordedAttempt, RecordedItem, RecordedStep } from '../../core/record/recorded-run.ts';
import { rowWords } from '../../core/record/row-words.ts';
import { bodyLines } from './body-lines.ts';
import { printBody } from './exchange-view.ts';
import type { OpenRun } from '../../api/open-run.ts';
import { briefJson, StepLines } from './step-lines.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import { wrap, chop, fit, pad, padStart } from '../terminal/text-width.ts';

/** Columns of the labels beside a request. */
const LABEL = 10;
const MARK = 8;

/** Of the items of a stream so many are shown, at its beginning and at its end. */
const FIRST_ITEMS = 12;
const LAST_ITEMS = 4;

const PHASES: readonly (readonly [keyof Phases, string])[] = [
  ['name', 'looking up the name'],
  ['connect', 'connecting'],
  ['tls', 'TLS'],
  ['firstByte', 'until the first byte'],
  ['body', 'the body'],
];

/** Shows one step of a recorded run: what it expected and kept, and each request with its response. */
export class StepView {
  readonly #terminal: Terminal;
  readonly #lines: StepLines;
  readonly #open: OpenRun;

  constructor(terminal: Terminal, open: OpenRun) {
    this.#terminal = terminal;
    this.#lines = new StepLines(terminal);
    this.#open = open;
  }

  async show(step: RecordedStep, only: RecordedAttempt | undefined): Promise<void> {
    const { colours } = this.#terminal;
    const { address, began, elapsed, outcome } = step;
    const { file, line, column } = began.place;
    const mark = outcome ?? 'interrupted';
    this.#terminal.write(
      `${this.#lines.paint(mark)}${colours.bold(address)}  ${colours.dim(`${timeWords(elapsed)} · ${file}:${line}:${column} · run ${this.#open.id}`)}\n`,
    );
    if (step.before) this.#before(step.before);
    if (step.reason !== undefined) this.#row('because', step.reason);
    this.#outcome(step);
    const shown = only ? [only] : step.attempts;
    for (const attempt of shown) await this.#attempt(step, attempt, shown.length === 1);
    for (const one of step.arrived) this.#arrived(one);
    if (!only && step.attempts.length > 1) {
      const last = step.attempts.at(-1)!;
      if (last.response && !last.items) await this.#body(last.response);
    }
  }

  /** What it came to before the run was resumed. */
  #before({ attempts, elapsed, outcome, problem }: Before): void {
    const words = [
      outcome === 'unfinished' ? 'interrupted' : outcome,
      countOf(attempts, 'request'),
      timeWords(elapsed),
      ...(problem ? [problem.message] : []),
    ];
    this.#row('before', words.join(' · '));
  }

  #outcome(step: RecordedStep): void {
    const { colours } = this.#terminal;
    for (const { got, because, condition, passed, hint } of step.expected) {
      this.#row(passed ? 'passed' : 'expected', condition, passed);
      if (!passed) {
        this.#row('got', colours.bold(got ?? ''));
        if (because !== undefined) this.#row('because', because);
        if (hint !== undefined) this.#row('hint', hint);
      }
    }
    if (step.problem && step.expected.every(({ passed }) => passed)) {
      this.#row('problem', colours.bold(step.problem.message));
      if (step.problem.hint !== undefined) this.#row('hint', step.problem.hint);
    }
    if (step.problem) this.#row('code', `${step.problem.code} (batharon explain ${step.problem.code})`, true);
    for (const [name, { value }] of step.kept) this.#row('kept', `${name}: ${briefJson(value)}`);
    for (const { path, size } of step.saved) this.#row('saved', `${path}, ${sizeWords(size)}`);
    if (step.row) this.#row('row', `${rowWords(step.row)}: ${step.row.row}`);
    for (const text of step.said) this.#row('shows', text);
    for (const { message } of step.warnings) this.#row('warning', message);
    if (step.states !== undefined) this.#row('states', step.states);
  }

  #row(label: string, text: string, dim = false): void {
    const { colours, wrapWidth } = this.#terminal;
    wrap(text, wrapWidth - MARK - LABEL - 1).forEach((line, i) =>
      this.#terminal.write(
        `${' '.repeat(MARK)}${colours.dim(pad(i === 0 ? label : '', LABEL))} ${dim ? colours.dim(line) : line}\n`,
      ),
    );
  }

  async #attempt(step: RecordedStep, attempt: RecordedAttempt, withBody: boolean): Promise<void> {
    const { colours } = this.#terminal;
    const { response, failed, redirected, sent } = attempt;
    const count = step.attempts.length;
    const nth = step.attempts.indexOf(attempt);
    const when = nth < (step.before?.attempts ?? 0) ? ', before the run was resumed' : '';
    const which = (sent.page !== undefined ? `page ${sent.page}` : `attempt ${nth + 1}`) + when;
    this.#terminal.write('\n');
    if (count > 1)
      this.#terminal.write(`${' '.repeat(MARK)}${colours.dim(`${which}, of ${count} requests`)}\n`);
    if ((sent.delayed ?? 0) > 0)
      this.#row('delayed', `${timeWords(sent.delayed!)} by the pace of the service`);
    this.#terminal.write(`${colours.cyan(pad('sent', MARK))}${colours.bold(`${sent.method} ${sent.url}`)}\n`);
    this.#fields(sent.headers);
    if (sent.body) this.#sentBody(sent.body);
    if (response) {
      this.#terminal.write(
        `${(response.status < 400 ? colours.green : colours.red)(pad('got', MARK))}${colours.bold(String(response.status))} · ${timeWords(response.elapsed)} · ${response.body.size === 0 ? 'no body' : `${response.body.type ?? 'no content type'}, ${sizeWords(response.body.size)}`}${response.before ? ' · came before the run was resumed' : ''}\n`,
      );
      this.#fields(response.headers);
      this.#phases(response.phases, response.elapsed);
    }
    const partial = failed?.partial;
    if (partial) {
      const { size, type } = partial.body;
      this.#terminal.write(
        `${colours.yellow(pad('got', MARK))}${colours.bold(String(partial.status))} · ${size === 0 ? 'nothing of its body' : `${type ?? 'no content type'}, ${sizeWords(size)} of its body`}\n`,
      );
      this.#fields(partial.headers);
      if (withBody && !attempt.items) this.#sentBody(partial.body);
    }
    if (failed) {
      this.#terminal.write(`${colours.red(pad('failed', MARK))}${failed.problem.message}\n`);
      this.#phases(failed.phases, failed.elapsed);
    }
    if (!response && !failed)
      this.#terminal.write(`${colours.yellow(pad('interrupted', MARK))}no response is recorded\n`);
    if (redirected) this.#row('', `redirected to ${redirected.to}`);
    if (attempt.items) this.#items(attempt.items);
    else if (withBody && response) await this.#body(response);
  }

  /** What came bit by bit, and when: the first of it and the last. */
  #items(items: readonly RecordedItem[]): void {
    const { colours, width } = this.#terminal;
    const last = items.at(-1)!;
    const digits = String(last.nth).length;
    const between = items.length - FIRST_ITEMS - LAST_ITEMS;
    this.#terminal.write('\n');
    items.forEach(({ after, item, nth }, i) => {
      if (between > 0 && i === FIRST_ITEMS) this.#row('', `… ${between} more`, true);
      if (between > 0 && i >= FIRST_ITEMS && i < FIRST_ITEMS + between) return;
      const when = pad(`after ${timeWords(after)}`, 14);
      const text = fit(visible(item), width - MARK - 18 - digits);
      this.#terminal.write(
        `${' '.repeat(MARK)}${colours.dim(`${when} ${padStart(String(nth), digits)}`)}  ${text}\n`,
      );
    });
  }

  #arrived({ answered, body, headers, method, url }: EventOf<'callback-received'>): void {
    const { colours } = this.#terminal;
    this.#terminal.write(
      `\n${colours.cyan(pad('arrived', MARK))}${colours.bold(`${method} ${url}`)} · answered with ${answered}\n`,
    );
    this.#fields(headers);
    this.#sentBody(body);
  }

  #fields(headers: EventOf<'response-received'>['headers']): void {
    const { colours, wrapWidth } = this.#terminal;
    for (const [name, value] of headers)
      wrap(`${name}: ${value}`, wrapWidth - MARK - 2).forEach((line, i) =>
        this.#terminal.write(colours.dim(`${' '.repeat(MARK)}${i === 0 ? '' : '  '}${line}\n`)),
      );
  }

  #sentBody(body: EventOf<'response-received'>['body']): void {
    if (body.text === undefined) {
      if (body.size > 0) this.#row('body', `${sizeWords(body.size)} of ${body.type ?? 'unknown type'}`);
      return;
    }
    const lines = body.text.split('\n');
    for (const line of lines.slice(0, 20)) this.#terminal.write(`${' '.repeat(MARK)}${line}\n`);
    if (lines.length > 20 || body.cut) this.#terminal.write(`${' '.repeat(MARK)}…\n`);
  }

  /** The parts of a request's time, as bars on one scale. */
  #phases(phases: EventOf<'response-received'>['phases'], elapsed: number): void {
    const known = PHASES.flatMap(([name, words]) => {
      const time = phases[name];
      return time === undefined ? [] : [{ words, time }];
    });
    if (known.length === 0) return;
    const { colours, width } = this.#terminal;
    const columns = Math.max(10, Math.min(40, width - 60));
    let before = 0;
    this.#terminal.write('\n');
    for (const { time, words } of known) {
      const from = Math.floor((before / Math.max(elapsed, 0.01)) * columns);
      const length = Math.max(1, Math.round((time / Math.max(elapsed, 0.01)) * columns));
      before += time;
      const bar = `${' '.repeat(Math.min(from, columns - 1))}${'█'.repeat(Math.min(length, columns - Math.min(from, columns - 1)))}`;
      this.#terminal.write(
        `${' '.repeat(MARK)}${colours.dim(pad(words, 22))} ${pad(timeWords(time), 9)} ${colours.green(bar)}\n`,
      );
    }
  }

  /** The body as paths and values; what is not JSON as it is. */
  async #body(response: EventOf<'response-received'>): Promise<void> {
    const { size } = response.body;
    if (size === 0) return;
    this.#terminal.write('\n');
    const text = this.#open.text(response);
    if (text === undefined) {
      const why =
        response.body.text === undefined ? 'not shown' : 'too large to be kept; this is how it began';
      this.#terminal.write(
        `${' '.repeat(MARK)}${sizeWords(size)} of ${response.body.type ?? 'unknown type'}, ${why}\n`,
      );
      if (response.body.text !== undefined) this.#terminal.write(`${response.body.text}\n`);
      return;
    }
    const parts = await bodyLines(this.#open, response);
    if (parts) printBody(this.#terminal, parts);
    else {
      const { wrapWidth } = this.#terminal;
      for (const line of text.split('\n').slice(0, 60))
        for (const row of chop(line, wrapWidth)) this.#terminal.write(`${row}\n`);
    }
  }
}
