import type { EventDeviation } from '../../event-deviation.ts';
import { fail } from '../../problems.ts';
import type { Schema } from '../../contract/json-schema.ts';
import type { World } from '../../language/environment.ts';
import type { Validator } from '../../ports.ts';

/** What a run has seen that is not as a description says. */
export class ContractState {
  /** There where something of the run is held to a schema. */
  validator: Validator | undefined;
  /** Deviations that were told: the same one of many iterations is told once. */
  readonly #told = new Set<string>();
  /** Those for which a step fails, by its address, until it ends. */
  readonly #failing = new Map<string, EventDeviation[]>();

  /** What says where a value is not as a schema wants it, by the name that an expression of a chain or project says. */
  fitting(
    chain: { readonly schemas: ReadonlyMap<string, Schema> },
    project: { readonly schemas: ReadonlyMap<string, Schema> },
  ): NonNullable<World['fits']> {
    return (value, name) => {
      const schema = chain.schemas.get(name) ?? project.schemas.get(name);
      if (!schema || !this.validator) return fail('unknown-schema', `the schema ${name} can't be read here`);
      return this.validator.violations(schema, value);
    };
  }

  /** Whether a deviation is told: not where the same one was already, at another item of a list. */
  isNew({ operation, direction, status, path, says }: EventDeviation): boolean {
    const key = `${operation} ${direction} ${status} ${path.replace(/\[\d+\]/g, '[*]')} ${says}`;
    return !this.#told.has(key) && Boolean(this.#told.add(key));
  }

  /** The step of an address fails for a deviation. */
  fail(address: string, deviation: EventDeviation): void {
    const list = this.#failing.get(address) ?? [];
    const isThere = list.some(({ path, says }) => path === deviation.path && says === deviation.says);
    if (!isThere) list.push(deviation);
    this.#failing.set(address, list);
  }

  /** What a step fails for, which is taken. */
  take(address: string): readonly EventDeviation[] {
    const list = this.#failing.get(address) ?? [];
    this.#failing.delete(address);
    return list;
  }
}
