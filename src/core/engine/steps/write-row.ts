import type { RowWrite, Step, Typed } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { parseJson, writeJson } from '../../language/json.ts';
import { withArticle } from '../../language/kinds.ts';
import { numberText } from '../../language/numbers.ts';
import { brief, kindAndValue } from '../../language/show.ts';
import {
  isNumeric,
  isObject,
  kindOf,
  memberOf,
  objectOf,
  type Value,
  type ValueObject,
} from '../../language/values.ts';
import type { NewRow } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { fileName } from '../scope/file-name.ts';
import { renderTyped } from '../scope/insert.ts';
import type { PastRow } from '../past-run.ts';

/**
 * Writes the row of a step. A row that is added to a file is added once, also where the run is interrupted and gone on with: that
 * it is about to be is on disk before. Throws `row-not-fitting`, `file-not-written`, problems of the insertions.
 */
export async function writeRow(
  context: RunContext,
  step: Step,
  write: RowWrite,
  environment: Environment,
): Promise<void> {
  const { record, rows } = context.ports;
  const { writeRow: elsewhere } = context.options;
  if (!rows) throw new Error('nothing to write rows with');
  const address = context.address(step);
  const past = context.options.past?.step(address)?.row;
  const adds = write.onePer.length === 0;
  // Another row for the same step would be one too many, whatever is in it.
  if (adds && past?.written) return;
  const inserter = context.inserter(environment);
  const path = fileName(context, inserter, write.to);
  const value = renderTyped(inserter, write.row);
  const row = masked(context, step, write, rowOf(write, path, value));
  const shown = writeJson(row);
  if (elsewhere) {
    await elsewhere({ step: address, path, near: context.chain.file, row: shown, onePer: write.onePer });
    return;
  }
  const about: Pick<NewRow, 'before' | 'meant'> = !adds
    ? {}
    : {
        before: (alike) => {
          context.emit({ event: 'row-meant', step: address, path, row: shown, alike });
          return record?.durable() ?? Promise.resolve();
        },
        ...(past?.meant ? { meant: meantRow(past.meant) } : {}),
      };
  try {
    const written = await rows.write(path, context.chain.file, { row, onePer: write.onePer, ...about });
    const { change, nth } = written;
    context.emit({ event: 'row-written', step: address, path, row: shown, nth, change });
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ place: write.at, ...error.problem });
    throw error;
  }
}

function meantRow({ alike, row }: NonNullable<PastRow['meant']>): NonNullable<NewRow['meant']> {
  return { alike, row: parseJson(row) as ValueObject };
}

/** The row as the format of the file takes it. */
function rowOf(write: RowWrite, path: string, value: Value | undefined): ValueObject {
  if (value === undefined || !isObject(value))
    throw problem(
      write,
      `a row is an object of columns, but this is ${kindAndValue(value)}`,
      'row:\n  piece: ${piece}',
    );
  for (const column of write.onePer)
    if ((memberOf(value, column) ?? null) === null)
      throw problem(
        write,
        `rows are told apart by the column ${column}, and this row has no value for it`,
        `a value for ${column}, or when: on the step`,
      );
  if (/\.(?:jsonl|ndjson)$/i.test(path)) {
    try {
      writeJson(value);
      return value;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      throw new ProblemError({ place: write.at, ...error.problem });
    }
  }
  return objectOf(
    Object.entries(value).map(([column, cell]): [string, string] => [column, cellOf(write, column, cell)]),
  );
}

function cellOf(write: RowWrite, column: string, cell: Value): string {
  if (cell === null) return '';
  const text = plainText(cell);
  if (text !== undefined) return text;
  const kind = kindOf(cell);
  const source = sourceOf(write.row, column) ?? 'x';
  throw problem(
    write,
    `the column ${column} is ${withArticle(kind)}, and a field of CSV is a text: ${brief(cell, 60)}`,
    kind === 'list'
      ? `\${join(${source}, ' ')}, or \${json(${source})}`
      : kind === 'bytes'
        ? `\${base64(${source})}`
        : `\${json(${source})}, or one of its members`,
  );
}

/** What is inserted for a column, as written. */
function sourceOf(row: Typed, column: string): string | undefined {
  const value = row.type === 'object' ? row.members.find(([name]) => name === column)?.[1] : undefined;
  if (value?.type !== 'insertion') return undefined;
  const { text, tree } = value.insertion.expression;
  return text.slice(...tree.span);
}

function problem(write: RowWrite, message: string, hint: string): ProblemError {
  return new ProblemError({ code: 'wrong-kind', message, hint, place: write.at });
}

/** A file of rows lies about in plain text, so masks stand in it for secrets. */
function masked(context: RunContext, step: Step, write: RowWrite, row: ValueObject): ValueObject {
  const { masker, names } = context.hidden;
  const mask = (value: Value): Value => {
    if (typeof value === 'string') return masker.text(value);
    if (isNumeric(value)) {
      const text = numberText(value);
      const shown = masker.text(text);
      return shown === text ? value : shown;
    }
    if (Array.isArray(value)) return value.map(mask);
    if (!isObject(value)) return value;
    return objectOf(Object.entries(value).map(([name, member]) => [name, mask(member)]));
  };
  const entries = Object.entries(row).map(([column, value]): [string, Value] => {
    const shown = names.has(column) && typeof value === 'string' ? `‹${column}›` : mask(value);
    if (writeJson(shown) === writeJson(value)) return [column, value];
    if (write.onePer.includes(column))
      throw problem(
        write,
        `rows are told apart by the column ${column}, and its value is a secret, which is not written into a file`,
        'a column that holds no secret',
      );
    context.warn(step, 'secret-not-here', `the column ${column} holds a secret; a mask was written for it`);
    return [column, shown];
  });
  return objectOf(entries);
}
