import type { Step } from '../chain/model.ts';
import type { Environment, Remark, World } from '../language/environment.ts';
import type { Maybe } from '../language/values.ts';
import type { RunContext } from './context.ts';

/** What one step's expressions see. Most ask nothing of the world, so that is made when one does. */
export class StepEnvironment implements Environment {
  readonly answer: Maybe;
  visited = 0;
  readonly #context: RunContext;
  readonly #step: Step | undefined;
  readonly #more: ((name: string) => Maybe) | undefined;
  #world: World | undefined;

  constructor(
    context: RunContext,
    step: Step | undefined,
    answer: Maybe,
    more: ((name: string) => Maybe) | undefined,
  ) {
    this.#context = context;
    this.#step = step;
    this.answer = answer;
    this.#more = more;
  }

  name(name: string): Maybe {
    const own = this.#more?.(name);
    if (own !== undefined) return own;
    return name === 'index' ? this.#context.index : this.#context.names.get(name);
  }

  get world(): World {
    return (this.#world ??= this.#context.world());
  }

  remark({ code, message }: Remark): void {
    this.#context.remark(this.#step, code, message);
  }
}
