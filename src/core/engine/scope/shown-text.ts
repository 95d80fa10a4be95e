import type { Template } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { writeJson } from '../../language/json.ts';
import { brief, shorten, visible } from '../../language/show.ts';
import { isObject, type Value } from '../../language/values.ts';
import type { RunContext } from './context.ts';
import { isTooShort } from './insert.ts';

/** How many items of a list are shown. */
const SHOWN_ITEMS = 20;

/** JSON that is longer than a line stands on several. */
const LINE = 100;

const MOST = 4000;

/**
 * A text for people: values of any kind stand in it, a list of objects that stands alone as a table, other lists and objects
 * as JSON. Line breaks of the author's stay; other control characters are shown, not obeyed. Throws `found-nothing`.
 */
export function shownText(context: RunContext, environment: Environment, { parts }: Template): string {
  const inserter = context.inserter(environment);
  const isAlone = parts.length === 1;
  const text = parts.map((part) => {
    if (typeof part === 'string') return part;
    const value = inserter.value(part);
    if (value === undefined) return inserter.nothing(part);
    // A secret that is too short to be found in a text has a label in its place.
    if (part.expression.secret && isTooShort(value)) return '‹secret›';
    return (isAlone ? asTable(context, value) : undefined) ?? asText(context, value);
  });
  return text.join('').split('\n').map(visible).join('\n');
}

/** Masked before anything is interrupted, so that no part of a secret stands at an end. */
function asText(context: RunContext, value: Value): string {
  const plain = plainText(value);
  if (plain !== undefined) return plain;
  if (value instanceof Uint8Array) return brief(value);
  const json = context.hidden.value(writeJson(value, 0, 'text'));
  return json.length <= LINE ? json : shorten(context.hidden.value(writeJson(value, 2, 'text')), MOST);
}

/** A list of objects as a table of its first members. */
function asTable({ hidden }: RunContext, value: Value): string | undefined {
  if (!Array.isArray(value) || value.length === 0) return undefined;
  const rows = value.slice(0, SHOWN_ITEMS);
  if (!rows.every(isObject)) return undefined;
  const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))].slice(0, 6);
  const cell = (row: Value, column: string): string => {
    const member = isObject(row) && Object.hasOwn(row, column) ? row[column] : undefined;
    if (member === undefined) return '';
    return typeof member === 'string' ? shorten(visible(hidden.masker.text(member)), 40) : brief(member, 40);
  };
  const lines = [columns, ...rows.map((row) => columns.map((column) => cell(row, column)))];
  const widths = columns.map((_, i) => Math.max(...lines.map((line) => line[i]!.length)));
  return [
    ...lines.map((line) =>
      line
        .map((text, i) => text.padEnd(widths[i]!))
        .join('  ')
        .trimEnd(),
    ),
    ...(value.length > rows.length ? [`and ${value.length - rows.length} more`] : []),
  ].join('\n');
}
