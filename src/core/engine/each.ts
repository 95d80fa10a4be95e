import { readInput } from '../chain/inputs.ts';
import type { EachStep, Input } from '../chain/model.ts';
import type { Outcome } from '../events.ts';
import { plainText } from '../language/functions/conversion.ts';
import { isDropping } from '../language/infer.ts';
import { nameList } from '../language/nearest.ts';
import { brief, kindAndValue, shorten, visible } from '../language/show.ts';
import {
  Duration,
  isNumeric,
  isObject,
  memberOf,
  objectOf,
  setMember,
  type Value,
  type ValueObject,
  membersOf,
} from '../language/values.ts';
import { type Problem, ProblemError, problemOf } from '../problems.ts';
import type { Done, Stop, StepRunner } from './carry-out.ts';
import type { SecretsOfRun } from './masking/secrets-of-run.ts';
import { interrupted } from './interruption.ts';
import type { RunContext } from './context.ts';
import { amountOf } from './settings.ts';
import { eventProblem, placed, throwNothing } from './placed.ts';

import { evaluateAll } from './outcome.ts';
import { refuseBeyondBudget } from './planned-calls.ts';
import { recordedValue } from './recorded-value.ts';

/** An item, and what stands before it where the loop has two names: its count, or its key. */
type Item = readonly [first: Value, second?: Value];

/** Where the items come from, one after the other. */
interface Items {
  /** How many there are; nothing where that shows only at the end. */
  readonly count?: number;
  next(): Item | undefined | Promise<Item | undefined>;
  close?(): Promise<void>;
}

/** Carries its steps out for each item; throws `not-a-list`, `bound-reached`, `too-few-turns`. */
export async function carryOutEach(runner: StepRunner, context: RunContext, step: EachStep): Promise<Done> {
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
  const turns = new Turns(runner, context, step, items, most);
  try {
    await turns.carryOut(atOnce);
  } finally {
    await items.close?.();
  }
  return turns.done(least);
}

class Turns {
  readonly #runner: StepRunner;
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

  constructor(runner: StepRunner, context: RunContext, step: EachStep, items: Items, most: number) {
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

async function itemsOf(context: RunContext, step: EachStep): Promise<Items> {
  if (step.rows) return rowsOf(context, step, step.rows);
  const { items } = step;
  const environment = context.environment(step);
  const value = placed(items, () => items.expression.evaluate(environment));
  if (value === undefined) throwNothing(items, environment);
  if (Array.isArray(value)) {
    let i = 0;
    return {
      count: value.length,
      next: () => (i < value.length ? [value[i]!, i++] : undefined),
    };
  }
  if (isObject(value) && step.names.length === 2) {
    const entries = membersOf(value);
    let i = 0;
    return { count: entries.length, next: () => entries[i++] };
  }
  throw new ProblemError({
    code: 'not-a-list',
    message: `each goes over a list, and ${items.expression.text} is ${kindAndValue(value)}`,
    instead: isObject(value)
      ? `each: key, value in ${items.expression.text}`
      : 'the path of the list, or [x] for a list of one',
    place: items.at(),
  });
}

/** The rows of an input, read one by one. */
async function rowsOf(context: RunContext, step: EachStep, input: Input): Promise<Items> {
  const path = context.names.get(input.name);
  const { rows } = context.ports;
  if (typeof path !== 'string' || !rows)
    throw new ProblemError({
      code: 'input-missing',
      message: `the rows of the input ${input.name} are not given`,
      instead: `--give ${input.name}=FILE`,
      place: step.at,
    });
  const source = await rows.open(path, context.chain.file);
  let i = 0;
  const typed = (row: ValueObject): Item => [typedRow(input, row, i, context.project.zone), i++];
  return {
    next: () => {
      const row = source.next();
      if (row instanceof Promise) return row.then((one) => (one ? typed(one) : undefined));
      return row ? typed(row) : undefined;
    },
    close: () => source.close(),
  };
}

/** A row with its columns read as their kinds; an empty cell is null. Throws `input-invalid`. */
function typedRow({ columns, name }: Input, row: ValueObject, nth: number, zone: string): ValueObject {
  if (!columns) return row;
  const typed = objectOf(membersOf(row));
  for (const [column, kind] of columns) {
    const cell = memberOf(row, column);
    if (cell === undefined)
      throw new ProblemError({
        code: 'input-invalid',
        message: `row ${nth + 1} of ${name} has no column ${column}`,
        instead: `it has ${nameList(Object.keys(row))}`,
      });
    if (typeof cell !== 'string') continue;
    const { problem, value } = cell === '' ? { value: null } : readInput(kind, cell, zone);
    if (problem)
      throw new ProblemError({
        code: 'input-invalid',
        message: `row ${nth + 1} of ${name}, column ${column}: ${problem.message}`,
      });
    setMember(typed, column, value);
  }
  return typed;
}

function refuse({ at }: EachStep, code: Problem['code'], message: string, instead: string): never {
  throw new ProblemError({ code, message, instead, place: at });
}
