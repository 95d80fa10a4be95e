import { parseJson } from '../../language/json.ts';
import type { ValueObject } from '../../language/values.ts';
import type { NewRow, Rows, RunRecord, WrittenRow } from '../../ports.ts';
import type { PastRow } from '../past-run.ts';
import type { Emitted } from '../scope/event-log.ts';
import type { RowOrder } from '../spread.ts';

/** Writes the row of a step that another machine carries out; what that one would tell is told here. Throws as the writing of rows does. */
export async function writeOrderedRow(
  { near, onePer, path, row: text, step }: RowOrder,
  {
    rows,
    record,
    past,
    emit,
  }: {
    readonly rows: Rows;
    readonly record: Pick<RunRecord, 'durable'> | undefined;
    readonly past: PastRow | undefined;
    readonly emit: (event: Emitted) => void;
  },
): Promise<WrittenRow> {
  const row = parseJson(text) as ValueObject;
  const { meant } = past ?? {};
  const about: Pick<NewRow, 'before' | 'meant'> =
    onePer.length > 0
      ? {}
      : {
          before: (alike) => {
            emit({ event: 'row-meant', step, path, row: text, alike });
            return record?.durable() ?? Promise.resolve();
          },
          ...(meant ? { meant: { alike: meant.alike, row: parseJson(meant.row) as ValueObject } } : {}),
        };
  const written = await rows.write(path, near, { row, onePer, ...about });
  emit({ event: 'row-written', step, path, row: text, nth: written.nth, change: written.change });
  return written;
}
