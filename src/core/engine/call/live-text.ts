import type { CallStep, Template } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { renderText } from '../scope/insert.ts';

/** How long the text stays as it is, in milliseconds, and how much of its end is shown, in UTF-16 units. */
const BETWEEN = 80;
const SHOWN = 2000;

/** The text that the items of a stream add up to, told while it comes. */
export class LiveText {
  readonly #context: RunContext;
  readonly #step: CallStep;
  readonly #template: Template;
  readonly #environment: Environment;
  #text = '';
  #told = -Infinity;
  #isNew = false;
  /** No item has added anything. */
  isEmpty = true;

  constructor(context: RunContext, step: CallStep, template: Template, environment: Environment) {
    this.#context = context;
    this.#step = step;
    this.#template = template;
    this.#environment = environment;
  }

  /** Adds what the newest item gives, if it gives anything. */
  add(): void {
    let added: string;
    try {
      added = renderText(this.#context.inserter(this.#environment), this.#template);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return;
    }
    if (added === '') return;
    this.isEmpty = false;
    this.#text += added;
    this.#isNew = true;
    // A secret may begin before what is shown, and is looked for whole.
    if (this.#text.length > SHOWN * 8) this.#text = this.#text.slice(-SHOWN * 4);
    this.tell(false);
  }

  /** Tells the end of the text. What may be the beginning of a secret is held back until the next piece says what it is. */
  tell(isEnd: boolean): void {
    const now = this.#context.ports.clock.elapsed();
    if (!this.#isNew || (!isEnd && now - this.#told < BETWEEN)) return;
    this.#told = now;
    const { masker } = this.#context;
    const whole = masker.text(this.#text);
    const settled = masker.settled(this.#text, !isEnd);
    this.#isNew = settled !== whole;
    const text = settled.slice(-SHOWN);
    if (text !== '')
      this.#context.emit({ event: 'text-received', step: this.#context.address(this.#step), text });
  }
}
