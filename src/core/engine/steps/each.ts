import type { EachStep } from '../../chain/model.ts';
import type { Outcome } from '../../events.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { isDropping } from '../../language/tree.ts';
import { brief, shorten, visible } from '../../language/show.ts';
import { Duration, isNumeric, isObject, objectOf, type Value } from '../../language/values.ts';
import { type Problem, ProblemError, problemOf } from '../../problems.ts';
import type { Done, Steps, Stop } from './step-result.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import { interrupted } from '../time/interruption.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf } from '../scope/settings.ts';
import { eventProblem, placed, throwNothing } from '../scope/with-place.ts';

import { evaluateAll } from '../scope/evaluate.ts';
import { refuseBeyondBudget } from './planned-calls.ts';
import { recordedValue } from '../scope/recorded-value.ts';
import { type Item, itemsOf, type Items } from './items.ts';

/** Carries its steps out for each item; throws `not-a-list`, `bound-reached`, `too-few-turns`. */
export async function carryOutEach(runner: Steps, context: RunContext, step: EachStep): Promise<Done> {
  const environment = context.environment(step);
  const items = await itemsOf(context, step);
  const most = amountOf(step.upTo, environment);
  const least = amountOf(step.atLeast, environment);
  const atOnce = amountOf(step.atOnce, environment);
  if (atOnce < 1) refuse(step, 'not-a-count', 'at-once is at least 1', 'at-once: 1');
  if ((items.count ?? 0) > most)
    refuse(
      step,
      'bound-reached',
      `${items.count} turns would be more than ${most}, the most that this loop may have`,
      `up-to: ${items.count}, if so many are meant`,
    );
  if (items.count !== undefined && !context.options.past) await refuseBeyondBudget(context, [step]);
  context.emit({
    event: 'turns-began',
    step: context.address(step),
    atOnce,
    ...(items.count === undefined ? {} : { of: items.count }),
  });
  const turns = new Turns(runner, context, step, { items, most });
  try {
    await turns.carryOut(atOnce);
  } finally {
    await items.close?.();
  }
  return turns.done(least);
}

class Turns {
  readonly #runner: Steps;
  readonly #context: RunContext;
  readonly #step: EachStep;
  readonly #items: Items;
  readonly #most: number;
  readonly #gathered: Value[][];
  readonly #told: Value[] | undefined;
  #begun = 0;
  #held = 0;
  #broke = 0;
  #heldBefore = 0;
  #ended = false;
  /** Of the turns that broke, that of the first item. */
  #stop: (Stop & { readonly turn: number }) | undefined;
  /** Of the turns whose steps held and that broke all the same, that of the first item. */
  #ofTurn: { readonly turn: number; readonly problem: Problem } | undefined;
  #problem: ProblemError | undefined;

  constructor(
    runner: Steps,
    context: RunContext,
    step: EachStep,
    { items, most }: { readonly items: Items; readonly most: number },
  ) {
    this.#runner = runner;
    this.#context = context;
    this.#step = step;
    this.#items = items;
    this.#most = most;
    this.#gathered = step.gather.map(() => []);
    if (step.name !== undefined && context.chain.turnsOf.has(step.name)) this.#told = [];
  }

  /** Goes on until there is no item left, or a turn says that it is enough. */
  async carryOut(atOnce: number): Promise<void> {
    const { count = atOnce } = this.#items;
    const lanes = Array.from({ length: Math.max(1, Math.min(atOnce, count)) }, () => this.#lane());
    await Promise.all(lanes);
    const { title } = this.#step;
    const turns = this.#heldBefore;
    if (turns > 0)
      this.#context.emit({ event: 'held-before', step: this.#context.address(this.#step), title, turns });
    if (this.#problem) throw this.#problem;
  }

  async #lane(): Promise<void> {
    const { signal } = this.#context.interruption;
    while (!this.#ended && !signal.aborted) {
      try {
        const next = this.#items.next();
        const item = next instanceof Promise ? await next : next;
        // Another lane may have ended the loop while a row was read.
        if (item === undefined || this.#isOver()) break;
        const turn = this.#begun++;
        if (turn >= this.#most)
          refuse(
            this.#step,
            'bound-reached',
            `there are more than ${this.#most} rows, the most turns that this loop may have`,
            `up-to: ${this.#most * 10}`,
          );
        await this.#turn(turn, item);
      } catch (error) {
        this.#context.noteDefect(error);
        this.#problem ??= error instanceof ProblemError ? error : new ProblemError(problemOf(error));
        this.#ended = true;
      }
    }
  }

  #isOver(): boolean {
    return this.#ended;
  }

  async #turn(turn: number, item: Item): Promise<void> {
    const step = this.#step;
    const { clock } = this.#context.ports;
    const inside = this.#context.turn(step, turn);
    step.names.forEach((name, i) => inside.names.set(name, item[i]!));
    const began = clock.elapsed();
    const address = this.#context.address(step);
    const label = labelOf(item[0], this.#context.hidden);
    const tell = (): void => this.#context.emit({ event: 'turn-began', step: address, turn, item: label });
    const before = this.#context.options.past?.turn(address, turn);
    if (before?.item !== undefined && before.item !== label)
      refuse(
        step,
        'cannot-resume',
        `the items have changed since: ${address}[${turn}] was ${before.item} and is ${label} now, so it can’t be told which turns are done`,
        'the items as they were, or a new run',
      );
    if (before?.outcome === 'held') inside.tellBefore(tell);
    else tell();
    let stop = await this.#runner.steps(inside, step.steps);
    if (!stop) {
      stop = this.#afterTurn(inside, turn);
      if (stop && (!this.#ofTurn || turn < this.#ofTurn.turn)) {
        const message = `${stop.problem.message}, in ${address}[${turn}] ${label}`;
        this.#ofTurn = { turn, problem: { ...stop.problem, message } };
      }
    }
    const cut = stop?.problem.code === 'interrupted';
    const outcome: Outcome = stop ? (cut ? 'cut off' : 'broke') : 'held';
    const elapsed = Math.round((clock.elapsed() - began) * 100) / 100;
    if (inside.isUntouched && !stop) this.#heldBefore++;
    else
      this.#context.emit({
        event: 'turn-ended',
        step: address,
        turn,
        outcome,
        elapsed,
        ...(stop ? { broke: stop.address, problem: eventProblem(stop.problem) } : {}),
      });
    if (this.#told)
      this.#told[turn] = objectOf([
        ['item', item[step.names.length - 1] ?? item[0]],
        ['ok', outcome === 'held'],
        ['elapsed', new Duration(elapsed)],
        ...(stop ? [['problem', stop.problem.message] as const] : []),
      ]);
    if (!stop) {
      this.#held++;
      return;
    }
    if (!cut) this.#broke++;
    if (!this.#stop || turn < this.#stop.turn) this.#stop = { ...stop, turn };
    if (cut || step.turnsOnFail === 'stop') this.#ended = true;
  }

  /** What is gathered of a turn, and whether it was the last one. */
  #afterTurn(inside: RunContext, turn: number): Stop | undefined {
    const { gather, until } = this.#step;
    if (gather.length === 0 && !until) return undefined;
    const environment = inside.environment(this.#step);
    try {
      gather.forEach(({ value }, i) => {
        if (value.type !== 'expression') this.#gathered[i]![turn] = evaluateAll(value, environment);
        else {
          const { expression } = value.value;
          const one = placed(value.value, () => expression.evaluate(environment));
          if (one !== undefined) this.#gathered[i]![turn] = one;
          else if (!isDropping(expression.tree)) throwNothing(value.value, environment);
        }
      });
      const enough =
        until &&
        (placed(until, () => until.expression.test(environment)) ?? throwNothing(until, environment));
      if (enough) this.#ended = true;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.#runner.raise(1);
      return { address: inside.address(this.#step), problem: error.problem };
    }
    return undefined;
  }

  done(least: number): Done {
    const step = this.#step;
    const { names, interruption } = this.#context;
    // Turns that broke left holes.
    step.gather.forEach(({ name }, i) => {
      const list = Object.values(this.#gathered[i]!);
      names.set(name, list);
      this.#context.emit({
        event: 'kept',
        step: this.#context.address(step),
        name,
        ...recordedValue(this.#context, list),
      });
    });
    const { count } = this.#items;
    const left = count === undefined ? 0 : count - Math.min(this.#begun, count);
    const turns = { held: this.#held, broke: this.#broke, ...(left > 0 ? { left } : {}) };
    const base: Done = {
      turns,
      ...(this.#ofTurn ? { ofTurn: this.#ofTurn.problem } : {}),
      ...(this.#told ? { members: [['turns', Object.values(this.#told)]] } : {}),
    };
    const { signal } = interruption;
    if (this.#stop) {
      const { address, problem } = this.#stop;
      const passed = step.turnsOnFail === 'continue' && problem.code !== 'interrupted';
      if (!passed || this.#held >= least) return { ...base, stop: { address, problem }, passed };
    } else if (signal.aborted && left > 0) {
      return { ...base, stop: { address: this.#context.address(step), problem: interrupted(signal) } };
    }
    if (this.#held >= least) return base;
    const problem: Problem = {
      code: 'too-few-turns',
      message: `${this.#held} of ${this.#begun} turn${this.#begun === 1 ? '' : 's'} held, and at least ${least} must`,
      place: step.at,
    };
    return { ...base, problem };
  }
}

/** How much of an item its turn is called by, in characters. */
const LABEL = 60;

/** What tells an item from the others, in a few words: of an object its first simple member. */
function labelOf(item: Value, { masker, names }: SecretsOfRun): string {
  const shown = (value: Value): string => shorten(visible(masker.text(plainText(value)!)), LABEL);
  if (typeof item === 'string' || isNumeric(item))
    return typeof item === 'string' ? `'${shown(item)}'` : shown(item);
  if (!isObject(item)) return masker.text(brief(item, LABEL));
  for (const name in item) {
    const member = item[name];
    if (typeof member === 'string' || isNumeric(member))
      return `${name} ${names.has(name) ? `‹${name}›` : shown(member)}`;
  }
  return 'an object';
}

function refuse({ at }: EachStep, code: Problem['code'], message: string, instead: string): never {
  throw new ProblemError({ code, message, instead, place: at });
}
