import { countOf } from '../../count-of.ts';
import type { EachStep, Template } from '../../chain/model.ts';
import type { Outcome } from '../../events.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { isDropping } from '../../language/tree.ts';
import { brief, shorten, visible } from '../../language/show.ts';
import { Duration, isNumeric, isObject, objectOf, type Value } from '../../language/values.ts';
import { type Problem, ProblemError, problemOf } from '../../problems.ts';
import { isAccepted } from './acceptance.ts';
import type { BlockDone, BlockResult, Item, Stop } from '../spread.ts';
import type { Done, Steps } from './step-result.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import { interrupted } from '../time/interruption.ts';
import type { RunContext } from '../scope/context.ts';
import { eventProblem, placed, problemObject, throwNothing } from '../scope/with-place.ts';
import { evaluateAll } from '../scope/evaluate.ts';
import { recordedValue } from '../scope/recorded-value.ts';
import { shownText } from '../scope/shown-text.ts';
import type { WantedCases } from '../scope/wanted-cases.ts';
import type { Past } from '../past-run.ts';
import type { Items } from './items.ts';

/** The iterations of one loop, or of a part of it, and what came of them. */
export class Iterations {
  readonly #runner: Steps;
  readonly #context: RunContext;
  readonly #step: EachStep;
  readonly #items: Items;
  readonly #most: number;
  /** Those that are wanted, where not all are. */
  readonly #cases: WantedCases | undefined;
  readonly #first: number;
  readonly #isPart: boolean;
  readonly #gathered: Value[][];
  readonly #iterations: Value[] | undefined;
  #begun = 0;
  #passed = 0;
  #failed = 0;
  #passedBefore = 0;
  #leftOut = 0;
  #ended = false;
  /** An iteration said that it is enough. */
  #isEnough = false;
  /** Of the iterations that failed, that of the first item. */
  #stop: (Stop & { readonly iteration: number }) | undefined;
  /** Of the iterations whose steps passed and that failed all the same, that of the first item. */
  #ofIteration: { readonly iteration: number; readonly problem: Problem } | undefined;
  #problem: ProblemError | undefined;

  constructor(
    runner: Steps,
    context: RunContext,
    step: EachStep,
    {
      items,
      most,
      cases,
      first = 0,
      isPart = false,
    }: {
      readonly items: Items;
      readonly most: number;
      readonly cases?: WantedCases | undefined;
      /** The count of the first item. */
      readonly first?: number;
      /** The loop itself is told elsewhere. */
      readonly isPart?: boolean;
    },
  ) {
    this.#runner = runner;
    this.#context = context;
    this.#step = step;
    this.#items = items;
    this.#most = most;
    this.#cases = cases;
    this.#first = first;
    this.#isPart = isPart;
    this.#gathered = step.gather.map(() => []);
    if (step.name !== undefined && context.chain.iterationsOf.has(step.name)) this.#iterations = [];
  }

  /** No further iteration is to begin. */
  get isOver(): boolean {
    return this.#ended;
  }

  /** Those under way end; no further one begins. */
  halt(): void {
    this.#ended = true;
  }

  /** It can't be gone on with. */
  fail(error: unknown): void {
    this.#context.noteDefect(error);
    this.#problem ??= error instanceof ProblemError ? error : new ProblemError(problemOf(error));
    this.#ended = true;
  }

  /** Goes on until there is no item left, or an iteration says that it is enough. */
  async carryOut(atOnce: number): Promise<void> {
    const { count = atOnce } = this.#items;
    const lanes = Array.from({ length: Math.max(1, Math.min(atOnce, count)) }, () => this.#lane());
    await Promise.all(lanes);
    this.end();
  }

  /** All have ended; throws what kept it from being gone on with. */
  end(): void {
    const { title } = this.#step;
    const iterations = this.#passedBefore;
    if (iterations > 0 && !this.#isPart)
      this.#context.emit({
        event: 'passed-before',
        step: this.#context.address(this.#step),
        title,
        iterations,
      });
    if (this.#problem) throw this.#problem;
  }

  /** The next item with its count; undefined where there is none, or none is wanted any more. Throws `bound-reached`. */
  async next(): Promise<{ readonly iteration: number; readonly item: Item } | undefined> {
    const next = this.#items.next();
    const item = next instanceof Promise ? await next : next;
    // Another lane may have ended the loop while a row was read.
    if (item === undefined || this.isOver) return undefined;
    const iteration = this.#begun++;
    if (iteration >= this.#most)
      refuse(
        this.#step,
        'bound-reached',
        `there are more than ${this.#most} rows, the most iterations that this loop may have`,
        `up-to: ${this.#most * 10}`,
      );
    return { iteration: this.#first + iteration, item };
  }

  async #lane(): Promise<void> {
    const { signal } = this.#context.interruption;
    while (!this.#ended && !signal.aborted) {
      try {
        const next = await this.next();
        if (!next) break;
        await this.one(next.iteration, next.item);
      } catch (error) {
        this.fail(error);
      }
    }
  }

  /** Carries one out. */
  async one(iteration: number, item: Item): Promise<void> {
    const step = this.#step;
    const { clock } = this.#context.ports;
    const inside = this.#context.iteration(step, iteration);
    step.names.forEach((name, i) => inside.names.set(name, item[i]!));
    const title = step.caseTitle && titleOf(inside, step, step.caseTitle);
    if (title !== undefined && this.#cases?.wants(title, iteration) === false) {
      this.#leftOut++;
      return;
    }
    const began = clock.elapsed();
    const address = this.#context.address(step);
    const label = labelOf(item[0], this.#context.hidden);
    const share = this.#items.share?.();
    const tell = (): void =>
      this.#context.emit({
        event: 'iteration-began',
        step: address,
        iteration,
        item: label,
        ...(title === undefined ? {} : { title }),
        ...(share === undefined ? {} : { share: Math.round(share * 1000) / 1000 }),
      });
    const before = this.#context.options.past?.iteration(address, iteration);
    if (before?.item !== undefined && before.item !== label)
      refuse(
        step,
        'cannot-resume',
        `the items have changed since: ${address}[${iteration}] was ${before.item} and is ${label} now, so it can't be told which iterations are done`,
        'the items as they were, or a new run',
      );
    if (before?.outcome === 'passed') inside.tellBefore(tell);
    else tell();
    let stop = await this.#runner.steps(inside, step.steps);
    if (!stop) {
      stop = this.#afterIteration(inside, iteration);
      if (stop && (!this.#ofIteration || iteration < this.#ofIteration.iteration)) {
        const message = `${stop.problem.message}, in ${address}[${iteration}] ${label}`;
        this.#ofIteration = { iteration, problem: { ...stop.problem, message } };
      }
    }
    const cut = stop?.problem.code === 'interrupted';
    const accepted = stop !== undefined && isAccepted(inside, undefined, stop.problem);
    const outcome: Outcome = stop ? (cut ? 'interrupted' : accepted ? 'accepted' : 'failed') : 'passed';
    const elapsed = Math.round((clock.elapsed() - began) * 100) / 100;
    if (inside.isUntouched && !stop) this.#passedBefore++;
    else
      this.#context.emit({
        event: 'iteration-ended',
        step: address,
        iteration,
        outcome,
        elapsed,
        ...(stop ? { failed: stop.address, problem: eventProblem(stop.problem) } : {}),
      });
    if (this.#iterations)
      this.#iterations[iteration] = objectOf([
        ['item', item[step.names.length - 1] ?? item[0]],
        ['ok', outcome === 'passed'],
        ['elapsed', new Duration(elapsed)],
        ...(stop ? [['problem', problemObject(stop.problem)] as const] : []),
      ]);
    if (!stop) {
      this.#passed++;
      return;
    }
    if (!cut) this.#failed++;
    if (!this.#stop || iteration < this.#stop.iteration) this.#stop = { ...stop, iteration };
    if (cut || step.whenOneFails === 'stop') this.#ended = true;
  }

  /** What is gathered of an iteration, and whether it was the last one. */
  #afterIteration(inside: RunContext, iteration: number): Stop | undefined {
    const { gather, until } = this.#step;
    if (gather.length === 0 && !until) return undefined;
    const environment = inside.environment(this.#step);
    try {
      gather.forEach(({ value }, i) => {
        if (value.type !== 'expression') this.#gathered[i]![iteration] = evaluateAll(value, environment);
        else {
          const { expression } = value.value;
          const one = placed(value.value, () => expression.evaluate(environment));
          if (one !== undefined) this.#gathered[i]![iteration] = one;
          else if (!isDropping(expression.tree)) throwNothing(value.value, environment);
        }
      });
      const enough =
        until &&
        (placed(until, () => until.expression.test(environment)) ?? throwNothing(until, environment));
      if (enough) this.#ended = this.#isEnough = true;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      if (!isAccepted(inside, undefined, error.problem)) this.#runner.raise(1);
      return { address: inside.address(this.#step), problem: error.problem };
    }
    return undefined;
  }

  /** What came of a part of the loop, for whoever has the rest. */
  part(): BlockDone {
    const from = this.#first;
    const of = (list: Value[] | undefined): [number, Value][] =>
      Object.entries(list ?? []).map(([at, value]): [number, Value] => [Number(at) - from, value]);
    return {
      passed: this.#passed,
      failed: this.#failed,
      begun: this.#begun,
      isEnough: this.#isEnough,
      gathered: this.#gathered.map(of),
      ...(this.#iterations ? { iterations: of(this.#iterations) } : {}),
      ...(this.#stop ? { stop: this.#stop } : {}),
      ...(this.#ofIteration ? { ofIteration: this.#ofIteration } : {}),
    };
  }

  /** Adds what came of a part of the loop that another machine has carried out; `first` is the count of its first item. */
  absorb(
    first: number,
    part: BlockDone,
    { exit, missing, booked }: Pick<BlockResult, 'exit' | 'missing'> & { readonly booked: Past['booked'] },
  ): void {
    this.#runner.raise(exit);
    this.#runner.missing ??= missing;
    this.#runner.undo.bookPast(this.#context, booked);
    this.#passed += part.passed;
    this.#failed += part.failed;
    part.gathered.forEach((values, i) => {
      for (const [at, value] of values) this.#gathered[i]![first + at] = value;
    });
    for (const [at, value] of part.iterations ?? [])
      if (this.#iterations) this.#iterations[first + at] = value;
    const { stop, ofIteration } = part;
    if (stop && (!this.#stop || stop.iteration < this.#stop.iteration)) this.#stop = stop;
    if (ofIteration && (!this.#ofIteration || ofIteration.iteration < this.#ofIteration.iteration))
      this.#ofIteration = ofIteration;
    const isCut = stop?.problem.code === 'interrupted';
    if (part.isEnough || isCut || (stop && this.#step.whenOneFails === 'stop')) this.#ended = true;
  }

  done(least: number): Done {
    const step = this.#step;
    const { names, interruption } = this.#context;
    // Iterations that failed left holes.
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
    const notBegun = count === undefined || this.#cases ? 0 : count - Math.min(this.#begun, count);
    const iterations = { passed: this.#passed, failed: this.#failed, ...(notBegun > 0 ? { notBegun } : {}) };
    const base: Done = {
      iterations,
      ...(this.#ofIteration ? { ofIteration: this.#ofIteration.problem } : {}),
      ...(this.#iterations ? { members: [['iterations', Object.values(this.#iterations)]] } : {}),
    };
    const { signal } = interruption;
    if (this.#stop) {
      const { address, problem } = this.#stop;
      const tolerated = step.whenOneFails === 'continue' && problem.code !== 'interrupted';
      if (!tolerated || this.#passed >= least) return { ...base, stop: { address, problem }, tolerated };
    } else if (signal.aborted && notBegun > 0) {
      return { ...base, stop: { address: this.#context.address(step), problem: interrupted(signal) } };
    }
    if (this.#passed >= least) return base;
    const problem: Problem = {
      code: 'too-few-iterations',
      message: `${this.#passed} of ${countOf(this.#begun - this.#leftOut, 'iteration')} passed, but at least ${least} must`,
      place: step.at,
    };
    return { ...base, problem };
  }
}

/** How much of an item its turn is called by, in characters. */
const LABEL = 60;

/** The most characters of a title. */
const TITLE = 200;

/** What the chain calls an iteration, on one line. Throws `found-nothing` and what an expression throws. */
function titleOf(inside: RunContext, step: EachStep, title: Template): string {
  const text = inside.masker.text(shownText(inside, inside.environment(step), title));
  return shorten(text.replace(/\s+/g, ' ').trim(), TITLE);
}

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

function refuse({ at }: EachStep, code: Problem['code'], message: string, hint: string): never {
  throw new ProblemError({ code, message, hint, place: at });
}
