import { readInput } from '../../chain/fields/input-values.ts';
import type { AskStep, Typed } from '../../chain/model.ts';
import { type ChoiceOption, isMeant, optionsOf } from '../../chain/read/read-ask.ts';
import type { EventOf } from '../../events.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import { kindAndValue, shorten, visible } from '../../language/show.ts';
import type { Value } from '../../language/values.ts';
import type { Answer, Question } from '../../ports.ts';
import { ProblemError, problemOf } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { renderTyped } from '../scope/insert.ts';
import { recordedValue } from '../scope/recorded-value.ts';
import { shownText } from '../scope/shown-text.ts';
import { placed, throwNothing } from '../scope/with-place.ts';
import { interrupted } from '../time/interruption.ts';
import type { Done } from './step-result.ts';

/** So many choices stand in an event; all of them are offered. */
const TOLD = 50;

/** The most characters of a question and of what is offered. */
const MOST = 1000;

/**
 * Gets an answer: that of an earlier run, what was given with the command, what the person says, or the default. The name of
 * the step is the answer from then on. Throws `not-answered`, `input-invalid`, `not-a-list`.
 */
export async function carryOutAsk(context: RunContext, step: AskStep): Promise<Done> {
  const asking = new Asking(context, step);
  const { by, value } = await asking.answer();
  if (
    step.kind === 'secret' &&
    typeof value === 'string' &&
    !context.masker.add(value, `secret ${step.name}`)
  )
    context.warnTooShort(step, `the answer ${step.name}`);
  context.names.set(step.name, value);
  const address = context.address(step);
  context.emit({ event: 'answered', step: address, by });
  context.emit({ event: 'kept', step: address, name: step.name, ...recordedValue(context, value) });
  return {};
}

class Asking {
  readonly #context: RunContext;
  readonly #step: AskStep;
  readonly #options: readonly ChoiceOption[] | undefined;

  constructor(context: RunContext, step: AskStep) {
    this.#context = context;
    this.#step = step;
    this.#options = step.choices && this.#readOptions(step.choices);
  }

  async answer(): Promise<{ readonly value: Value; readonly by: EventOf<'answered'>['by'] }> {
    const context = this.#context;
    const step = this.#step;
    const { answeredBefore, answers } = context.options;
    const before = answeredBefore?.(context.address(step), step.fingerprint());
    if (before !== undefined) return { value: before, by: 'before' };
    const given = answers?.get(step.name);
    if (given !== undefined) return { value: this.#given(given), by: 'given' };
    const { signal } = context.interruption;
    const byDefault = step.default && this.#default(step.default);
    const { ask } = context.ports;
    if (ask) {
      const question = this.#question(byDefault);
      context.emit({
        event: 'asked',
        step: context.address(step),
        question: question.text,
        kind: step.kind,
        ...(question.choices ? { choices: question.choices.slice(0, TOLD) } : {}),
      });
      const answer = await ask(question, signal);
      if (signal.aborted) throw new ProblemError(interrupted(signal));
      if (answer !== undefined) return { value: this.#read(answer), by: 'person' };
    }
    if (byDefault === undefined) throw new ProblemError(this.#nobody());
    this.#hold(byDefault);
    return { value: byDefault, by: 'default' };
  }

  #readOptions(choices: NonNullable<AskStep['choices']>): readonly ChoiceOption[] {
    const context = this.#context;
    const environment = context.environment(this.#step);
    const value =
      'type' in choices
        ? renderTyped(context.inserter(environment), choices)
        : (placed(choices, () => choices.expression.evaluate(environment)) ??
          throwNothing(choices, environment));
    const options = value === undefined ? undefined : optionsOf(value);
    if (options && options.length > 0) return options;
    throw new ProblemError({
      code: 'not-a-list',
      message: options
        ? 'there is nothing to choose from: the choices are empty'
        : `choices are a list of texts or numbers, or an object of labels and values, but this is ${kindAndValue(value ?? null, 60)}`,
      hint: options ? 'when: with a condition for it' : 'map(pieces, @.name), or [name] of each',
      place: 'type' in choices ? this.#step.at : choices.at(),
    });
  }

  /** Masked, on one line, and of a bounded length: it comes from a service as often as from the chain. */
  #shown(text: string): string {
    return shorten(visible(this.#context.hidden.spoken(text)).replace(/\s+/g, ' '), MOST);
  }

  #question(byDefault: Value | undefined): Question {
    const { kind, question } = this.#step;
    const context = this.#context;
    const options = this.#options;
    const at = byDefault === undefined ? -1 : (options?.findIndex((one) => isMeant(one, byDefault)) ?? -1);
    const usual = options
      ? at < 0
        ? undefined
        : at
      : typeof byDefault === 'boolean'
        ? byDefault
        : byDefault === undefined
          ? undefined
          : plainText(byDefault);
    return {
      text: this.#shown(shownText(context, context.environment(this.#step), question)),
      kind: options ? 'choice' : kind,
      ...(options ? { choices: options.map(({ label }) => this.#shown(label)) } : {}),
      ...(usual === undefined ? {} : { default: usual }),
      check: (answer) => {
        try {
          this.#read(answer);
          return undefined;
        } catch (error) {
          const { hint, message } = problemOf(error);
          return hint === undefined ? message : `${message} (${hint})`;
        }
      },
    };
  }

  /** What an answer is worth. Throws `input-invalid`. */
  #read(answer: Answer): Value {
    let value: Value;
    if (this.#options) {
      const option = typeof answer === 'number' ? this.#options[answer] : undefined;
      if (!option) return this.#refuse('it is none of the choices');
      ({ value } = option);
    } else if (typeof answer === 'boolean') value = answer;
    else value = this.#typed(String(answer));
    this.#hold(value);
    return value;
  }

  #typed(text: string): Value {
    const { kind } = this.#step;
    if (kind === 'secret') return text;
    const { problem, value } = readInput(kind, text, this.#context.project.zone);
    return problem ? this.#refuse(problem.message, problem.hint) : value;
  }

  /** What was given with the command: for a choice its label or its value. */
  #given(text: string): Value {
    const options = this.#options;
    if (!options) {
      const value = this.#typed(text);
      this.#hold(value);
      return value;
    }
    const found = options.find((one) => isMeant(one, text));
    if (found) {
      this.#hold(found.value);
      return found.value;
    }
    const labels = options.map(({ label }) => this.#shown(label));
    return this.#refuse(
      `'${this.#shown(text)}' is none of the choices`,
      nearest(text, labels) ?? nameList(labels, 20),
    );
  }

  #default(typed: Typed): Value {
    const context = this.#context;
    const step = this.#step;
    const value = renderTyped(context.inserter(context.environment(step)), typed);
    if (value === undefined) return this.#refuse('its default is nothing');
    if (!this.#options) return typeof value === 'string' ? this.#typed(value) : value;
    const found = this.#options.find((one) => isMeant(one, value));
    if (found) return found.value;
    return this.#refuse(
      `its default ${this.#shown(plainText(value) ?? kindAndValue(value, 60))} is none of the choices`,
      nameList(
        this.#options.map(({ label }) => this.#shown(label)),
        20,
      ),
    );
  }

  /** Holds an answer to `must`. Throws `input-invalid`. */
  #hold(value: Value): void {
    const { must, name, kind } = this.#step;
    if (!must) return;
    const environment = this.#context.environment(this.#step, undefined, (one) =>
      one === name ? value : undefined,
    );
    if (placed(must, () => must.expression.test(environment)) ?? throwNothing(must, environment)) return;
    const came = kind === 'secret' ? '' : `, but is ${must.expression.whatCame(environment)}`;
    this.#refuse(`it must satisfy ${must.expression.text}${came}`);
  }

  #refuse(message: string, hint?: string): never {
    const { at, name } = this.#step;
    throw new ProblemError({
      code: 'input-invalid',
      message: `the answer ${name}: ${message}`,
      ...(hint === undefined ? {} : { hint }),
      place: at,
    });
  }

  #nobody(): ProblemError['problem'] {
    const { at, name, kind } = this.#step;
    const labels = this.#options?.map(({ label }) => this.#shown(label));
    const choices = labels ? `; the choices are ${nameList(labels, 20)}` : '';
    return {
      code: 'not-answered',
      message: `nobody is there to answer ${name}, and it has no default${choices}`,
      hint: `--give ${name}=${labels?.[0] !== undefined && /^[\w.-]+$/.test(labels[0]) ? labels[0] : kind === 'yes-no' ? 'yes' : '…'}, or default: on the step`,
      place: at,
    };
  }
}
