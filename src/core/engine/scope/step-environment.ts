import type { Step } from '../../chain/model.ts';
import type { Environment, Warning, World } from '../../language/environment.ts';
import { isNumeric, type Maybe, type Value } from '../../language/values.ts';
import type { Masker } from '../masking/masker.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import type { Names } from './names.ts';

/** The place in a run at which expressions are evaluated. */
interface Surroundings {
  readonly index: number | undefined;
  readonly names: Names;
  readonly masker: Masker;
  readonly hidden: SecretsOfRun;
  world(): World;
  warn(step: Step | undefined, code: Warning['code'], message: string): void;
}

/** What one step's expressions see. Most ask nothing of the world, so that is made when one does. */
export class StepEnvironment implements Environment {
  readonly response: Maybe;
  visited = 0;
  readonly #context: Surroundings;
  readonly #step: Step | undefined;
  readonly #more: ((name: string) => Maybe) | undefined;
  #world: World | undefined;

  constructor(
    context: Surroundings,
    step: Step | undefined,
    response: Maybe,
    more: ((name: string) => Maybe) | undefined,
  ) {
    this.#context = context;
    this.#step = step;
    this.response = response;
    this.#more = more;
  }

  name(name: string): Maybe {
    const own = this.#more?.(name);
    if (own !== undefined) return own;
    return name === 'index' ? this.#context.index : this.#context.names.get(name);
  }

  own(name: string): Maybe {
    return this.#context.names.get(name);
  }

  get world(): World {
    return (this.#world ??= this.#context.world());
  }

  warn({ code, message }: Warning): void {
    this.#context.warn(this.#step, code, message);
  }

  /** What an expression gives that uses a secret is one from here on. */
  secret(expression: string, value: Value): void {
    // What is kept as hidden is called by the name under which it is kept.
    if (!expression.startsWith('hidden(')) this.#context.hidden.hideComputed(expression, value);
  }

  /** What a function makes of a secret is one as well, also of such as only its value tells. */
  derived(args: readonly unknown[], result: Value): void {
    const { masker } = this.#context;
    if (masker.isIdle || (typeof result !== 'string' && !isNumeric(result))) return;
    const label = args.map((arg) => labelIn(masker, arg)).find((one) => one !== undefined);
    if (label !== undefined) this.#context.hidden.hide(result, label, 'latest');
  }
}

/** The label of a secret that an argument is, or that is an item of it. */
function labelIn(masker: Masker, arg: unknown): string | undefined {
  if (typeof arg === 'string') return masker.labelOf(arg);
  if (typeof arg === 'number') return masker.labelOf(String(arg));
  if (!Array.isArray(arg) || arg.length > 100) return undefined;
  return arg.map((item: unknown) => labelIn(masker, item)).find((one) => one !== undefined);
}
