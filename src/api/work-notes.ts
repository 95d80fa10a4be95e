import { readTyped, writeTyped } from '../core/language/typed-json.ts';
import { objectOf, type Value } from '../core/language/values.ts';
import type { ContractLevel } from '../core/contract/description.ts';
import type { Block, BlockResult, RunSetup } from '../core/engine/spread.ts';
import type { ExitCode } from '../core/events.ts';

// What is written down of work that goes to another machine: JSON in which every value keeps its kind.

/** What a run is given, besides what it began with. */
export interface WorkSetup extends RunSetup {
  readonly answers: ReadonlyMap<string, string>;
  readonly contract?: ContractLevel;
  readonly leave?: boolean;
  readonly cases?: readonly string[];
}

/** What a whole chain came to. */
export interface ChainResult {
  readonly exit: ExitCode;
}

type Plain = Readonly<Record<string, unknown>>;

const plainOf = (map: ReadonlyMap<string, Value>): Plain => Object.fromEntries(map);
const written = (value: Plain): string => writeTyped(clean(value) as Value);
const read = (text: string): unknown => readTyped(text);

/** Without members that have no value. */
function clean(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(clean);
  if (typeof value !== 'object' || value === null || Object.getPrototypeOf(value) !== Object.prototype)
    return value;
  return objectOf(
    Object.entries(value).flatMap(([name, member]): [string, Value][] =>
      member === undefined ? [] : [[name, clean(member) as Value]],
    ),
  );
}

export function writeSetup({ values, answers, ...setup }: WorkSetup): string {
  return written({ ...setup, values: plainOf(values), answers: Object.fromEntries(answers) });
}

export function readSetup(text: string): WorkSetup {
  const { values, answers, ...setup } = read(text) as Omit<WorkSetup, 'values' | 'answers'> & {
    readonly values: Record<string, Value>;
    readonly answers: Record<string, string>;
  };
  return { ...setup, values: new Map(Object.entries(values)), answers: new Map(Object.entries(answers)) };
}

export function writeBlock(block: Block): string {
  return written({ ...block });
}

export function readBlock(text: string): Block {
  return read(text) as Block;
}

export function writeBlockResult(result: BlockResult): string {
  return written({ ...result });
}

export function readBlockResult(text: string): BlockResult {
  return read(text) as BlockResult;
}
