import type { Expectation, Step, Template } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { childrenOf, type Tree, speaksOfStatus } from '../../language/tree.ts';
import type { Value } from '../../language/values.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import type { EventDeviation } from '../../event-deviation.ts';
import { deviationText, saidOfDeviation } from '../exchange/hold-to-contract.ts';
import type { RunContext } from '../scope/context.ts';
import { evaluateAll } from '../scope/evaluate.ts';
import { placed } from '../scope/with-place.ts';
import { recordedValue } from '../scope/recorded-value.ts';
import { shownText } from '../scope/shown-text.ts';

/** Carries out what comes after the request: expectations, keep, the expectations that use kept names, show. */
export class StepOutcome {
  readonly #context: RunContext;
  readonly #step: Step;
  readonly #environment: Environment;
  readonly #page: string | undefined;
  readonly #errorOf: (ofStatus: boolean) => string;
  #isErrorSaid = false;
  /** The first thing that went wrong. */
  problem: Problem | undefined;

  readonly #advice: string | undefined;

  /**
   * `page` describes the response where it is a page, which is rarely what was expected. `said` gives the error that it
   * holds, for a condition that speaks of the status or of the body, or nothing.
   */
  constructor(
    context: RunContext,
    step: Step,
    environment: Environment,
    {
      page,
      said,
      advice,
    }: {
      readonly page?: string | undefined;
      readonly said?: ((ofStatus: boolean) => string) | undefined;
      readonly advice?: { readonly ofStatus: string } | undefined;
    } = {},
  ) {
    this.#advice = advice?.ofStatus;
    this.#page = page;
    this.#errorOf = said ?? (() => '');
    this.#context = context;
    this.#step = step;
    this.#environment = environment;
  }

  /** All expectations are tried, and each is reported. */
  expect(afterKeep: boolean): void {
    for (const expectation of this.#step.expect)
      if (expectation.afterKeep === afterKeep) this.#try(expectation);
  }

  /** Expectations that the step does not write itself. */
  expectAll(expectations: readonly Expectation[]): void {
    for (const expectation of expectations) this.#try(expectation);
  }

  /** One that the engine adds of itself. */
  failed(condition: string, got: string, more: { code: Problem['code']; hint?: string }): void {
    const { hint } = more;
    this.#context.emit({
      event: 'expected',
      step: this.#context.address(this.#step),
      condition,
      passed: false,
      got,
      code: more.code,
      ...(hint === undefined ? {} : { hint }),
      place: this.#step.at,
    });
    this.#note({
      code: more.code,
      message: `expected ${condition}, got ${got}`,
      place: this.#step.at,
      ...(hint === undefined ? {} : { hint }),
    });
  }

  /** Where the request or the response is not as the description of the service says. */
  deviated(deviations: readonly EventDeviation[]): void {
    for (const deviation of deviations) {
      const { direction, described } = deviation;
      this.#context.emit({
        event: 'expected',
        step: this.#context.address(this.#step),
        condition: `the ${direction} as described${described === undefined ? '' : ` (${described})`}`,
        passed: false,
        got: saidOfDeviation(deviation),
        code: 'not-as-described',
        place: this.#step.at,
        deviation,
      });
    }
    const [first] = deviations;
    if (!first) return;
    const more = deviations.length > 1 ? `, and ${deviations.length - 1} more` : '';
    this.#note({
      code: 'not-as-described',
      message: deviationText(first) + more,
      hint: 'contract: off on the step, where the description is wrong',
      place: this.#step.at,
    });
  }

  #note(problem: Problem): void {
    this.problem ??= problem;
  }

  #try({ condition, because, onlyWarns }: Expectation): void {
    const { expression } = condition;
    const place = condition.at();
    const report = (passed: boolean, more: { got?: string; hint?: string; code?: string } = {}): void => {
      this.#context.emit({
        event: 'expected',
        step: this.#context.address(this.#step),
        condition: expression.text,
        passed,
        ...more,
        ...(passed || because === undefined ? {} : { because: this.#reason(because) }),
        ...(passed ? {} : { place }),
      });
    };
    try {
      const passed = placed(condition, () => expression.test(this.#environment));
      if (passed) return report(true);
      const nothing = passed === undefined ? expression.whyNothing(this.#environment) : undefined;
      const got =
        (nothing?.message ?? expression.whatCame(this.#environment)) + this.#insteadOf(expression.tree);
      // Of a status that was not expected, what to do about it.
      const hint = nothing?.hint ?? (speaksOfStatus(expression.tree) ? this.#advice : undefined);
      if (onlyWarns) return this.#warn(expression.text, got, because);
      report(false, {
        got,
        ...(hint === undefined ? {} : { hint }),
        code: nothing ? 'found-nothing' : 'not-as-expected',
      });
      this.#note({
        code: nothing ? 'found-nothing' : 'not-as-expected',
        message: `expected ${expression.text}, got ${got}`,
        place,
        ...(hint === undefined ? {} : { hint }),
      });
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const { code, hint } = error.problem;
      const message = error.problem.message + this.#insteadOf(expression.tree);
      if (onlyWarns) return this.#warn(expression.text, message, because);
      report(false, { got: message, code, ...(hint === undefined ? {} : { hint }) });
      this.#note({ ...error.problem, message });
    }
  }

  /** An expectation whose author wants to know where it does not hold, and no more. */
  #warn(condition: string, got: string, because: Template | undefined): void {
    const why = because === undefined ? '' : ` (${this.#reason(because)})`;
    this.#context.warn(this.#step, 'expectation-not-met', `expected ${condition}, got ${got}${why}`);
  }

  /** Why it has to hold; as it is written where that comes to nothing. */
  #reason(because: Template): string {
    try {
      return shownText(this.#context, this.#environment, because);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return because.parts
        .map((part) =>
          typeof part === 'string' ? part : `\${${part.expression.text.slice(...part.expression.tree.span)}}`,
        )
        .join('');
    }
  }

  /** The error that the response holds, said once. */
  #said(ofStatus: boolean): string {
    if (this.#isErrorSaid) return '';
    const said = this.#errorOf(ofStatus);
    this.#isErrorSaid = said !== '';
    return said;
  }

  /** What came instead, for a condition that speaks of the status, the body or its type. */
  #insteadOf(tree: Tree): string {
    const ofStatus = speaksOfStatus(tree);
    const speaks = (part: Tree): boolean =>
      part.type === 'response' ||
      (part.type === 'name' && (part.name === 'type' || part.name === 'body')) ||
      childrenOf(part).some(speaks);
    if (!speaks(tree)) return ofStatus ? this.#said(true) : '';
    return this.#page === undefined ? this.#said(ofStatus) : `, ${this.#page}`;
  }

  /** Keeps names, top to bottom; ends at the first that can't be kept. */
  keep(cameFrom: string | undefined): void {
    const { names } = this.#context;
    for (const { name, value, hidden, secret } of this.#step.keep) {
      let kept: Value;
      try {
        kept = evaluateAll(value, this.#environment);
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        const tree = value.type === 'expression' ? value.value.expression.tree : undefined;
        const message = error.problem.message + (tree ? this.#insteadOf(tree) : '');
        this.#note({ ...error.problem, message });
        return;
      }
      const isLong = !(hidden || secret) || this.#context.hidden.hide(kept, `secret ${name}`);
      if (!isLong) this.#context.warnTooShort(this.#step, `a value of ${name}`);
      names.set(name, kept);
      if (cameFrom !== undefined) names.cameFrom(name, cameFrom);
      const shown = hidden || !isLong ? JSON.stringify(`‹secret ${name}›`) : undefined;
      this.#context.emit({
        event: 'kept',
        step: this.#context.address(this.#step),
        name,
        ...recordedValue(this.#context, kept, shown),
      });
    }
  }

  show(): void {
    const { show } = this.#step;
    if (!show) return;
    try {
      this.#context.emit({
        event: 'shown',
        step: this.#context.address(this.#step),
        text: shownText(this.#context, this.#environment, show),
      });
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.#note(error.problem);
    }
  }
}
