import { type Environment, WithNames } from './environment.ts';
import type { Maybe, Value } from './values.ts';

/** An argument that is evaluated for each item of the first one, which has a name where it was given one. */
export function forEachItem<T>(
  evaluate: (environment: Environment, item: Value) => T,
  itemName: string | undefined,
): (environment: Environment) => (item: Value) => T {
  return (environment) => {
    if (itemName === undefined) return (item) => evaluate(environment, item);
    const names = new Map<string, Maybe>();
    const inner = new WithNames(environment, names);
    return (item) => {
      names.set(itemName, item);
      return evaluate(inner, item);
    };
  };
}
