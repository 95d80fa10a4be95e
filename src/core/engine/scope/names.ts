import type { Value } from '../../language/values.ts';

/**
 * The names in reach of a step. Those of an iteration lie before those of what the loop stands in, and end with it; nothing
 * hides anything, so a name is found at most once.
 */
export class Names {
  readonly #outer: Names | undefined;
  readonly #values = new Map<string, Value>();
  #lost: Map<string, Lost> | undefined;
  #origins: Map<string, string> | undefined;

  constructor(outer?: Names) {
    this.#outer = outer;
  }

  get(name: string): Value | undefined {
    const own = this.#values.get(name);
    return own === undefined && this.#outer ? this.#outer.get(name) : own;
  }

  has(name: string): boolean {
    return this.#values.has(name) || (this.#outer?.has(name) ?? false);
  }

  set(name: string, value: Value): void {
    this.#values.set(name, value);
    this.#lost?.delete(name);
  }

  /**
   * What a step is to those below it: under its own name, unless it keeps a value under that one; as `steps.NAME` where the
   * chain asks for one so.
   */
  setStep(
    name: string,
    value: Value,
    { isOwn, isAsked }: { readonly isOwn: boolean; readonly isAsked: boolean },
  ): void {
    if (isAsked) this.set(stepName(name), value);
    if (isOwn) this.set(name, value);
  }

  /** A step that failed and was passed would have kept it, or has kept it before it failed. */
  lose(name: string, step: string, isAccepted = false): void {
    (this.#lost ??= new Map()).set(name, { step, isAccepted });
  }

  /** For what is made undone at the end, whatever was kept counts, also by steps that failed. */
  recall(): void {
    for (const name of this.#lost?.keys() ?? []) if (this.#values.has(name)) this.#lost!.delete(name);
  }

  /** The first of some names that was lost, and by which step. */
  firstLost(names: Iterable<string>): (Lost & { readonly name: string }) | undefined {
    for (const name of names) {
      const lost = this.#lostBy(name);
      if (lost !== undefined) return { name, ...lost };
    }
    return undefined;
  }

  #lostBy(name: string): Lost | undefined {
    const own = this.#lost?.get(name);
    if (own !== undefined || this.#values.has(name)) return own;
    return this.#outer ? this.#outer.#lostBy(name) : undefined;
  }

  /** It came in the response to a request to this URL. */
  cameFrom(name: string, url: string): void {
    (this.#origins ??= new Map()).set(name, url);
  }

  /** The URL of the response that a name came from. */
  origin(name: string): string | undefined {
    return this.#origins?.get(name) ?? this.#outer?.origin(name);
  }

  /** Some of the names as they are now, whatever happens to them later. */
  snapshot(names: Iterable<string>): Names {
    const copy = new Names();
    for (const name of names) {
      const value = this.get(name);
      if (value !== undefined) copy.set(name, value);
      const origin = this.origin(name);
      if (origin !== undefined) copy.cameFrom(name, origin);
    }
    return copy;
  }

  entries(): Iterable<[string, Value]> {
    return this.#values.entries();
  }
}

/** Why a name is not there: the step that failed, and whether the chain accepts that. */
export interface Lost {
  readonly step: string;
  readonly isAccepted: boolean;
}

/** Under this name a step is known whatever else is called like it. */
export function stepName(name: string): string {
  return `steps.${name}`;
}
