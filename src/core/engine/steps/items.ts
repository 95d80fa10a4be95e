import { ProblemError } from '../../problems.ts';
import {
  type ValueObject,
  objectOf,
  membersOf,
  memberOf,
  setMember,
  isObject,
} from '../../language/values.ts';
import { nameList } from '../../language/nearest.ts';
import type { EachStep, Input } from '../../chain/model.ts';
import { readInput } from '../../chain/fields/input-values.ts';
import type { RunContext } from '../scope/context.ts';
import type { Item } from '../spread.ts';
import { kindAndValue } from '../../language/show.ts';
import { placed, throwNothing } from '../scope/with-place.ts';

/** Where the items come from, one after the other. */
export interface Items {
  /** How many there are; undefined if that shows only at the end. */
  readonly count?: number;
  next(): Item | undefined | Promise<Item | undefined>;
  /** How much of a file of them has been read, from 0 to 1. */
  share?(): number | undefined;
  close?(): Promise<void>;
}

/** A row with its columns read as their kinds; an empty cell is null. Throws `input-invalid`. */
export function typedRow({ columns, name }: Input, row: ValueObject, nth: number, zone: string): ValueObject {
  if (!columns) return row;
  const typed = objectOf(membersOf(row));
  for (const [column, kind] of columns) {
    const cell = memberOf(row, column);
    if (cell === undefined)
      throw new ProblemError({
        code: 'input-invalid',
        message: `row ${nth + 1} of ${name} has no column ${column}`,
        hint: `it has ${nameList(Object.keys(row))}`,
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

/** The rows of an input, read one by one. */
export async function rowsOf(context: RunContext, step: EachStep, input: Input): Promise<Items> {
  const path = context.names.get(input.name);
  const { rows } = context.ports;
  if (Array.isArray(path)) {
    let i = 0;
    return {
      count: path.length,
      next: () => {
        const row = path[i];
        if (row === undefined) return undefined;
        if (!isObject(row))
          throw new ProblemError({
            code: 'input-invalid',
            message: `row ${i + 1} of ${input.name} is ${kindAndValue(row)}, not a map of columns and values`,
            place: input.at,
          });
        return [typedRow(input, row, i, context.project.zone), i++];
      },
    };
  }
  if (typeof path !== 'string' || !rows)
    throw new ProblemError({
      code: 'input-missing',
      message: `the rows of the input ${input.name} are not given`,
      hint: `--give ${input.name}=FILE`,
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
    share: () => source.share?.(),
    close: () => source.close(),
  };
}
export async function itemsOf(context: RunContext, step: EachStep): Promise<Items> {
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
    message: `each needs a list, but ${items.expression.text} is ${kindAndValue(value)}`,
    hint: isObject(value)
      ? `each: key, value in ${items.expression.text}`
      : 'the path of the list, or [x] for a list of one',
    place: items.at(),
  });
}
