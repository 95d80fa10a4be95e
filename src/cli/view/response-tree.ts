import { brief } from '../../core/language/show.ts';
import { isObject, type Value } from '../../core/language/values.ts';
import { pathStep } from '../project/jsonpath-text.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { pad, fit, widthOf } from '../terminal/text-width.ts';

/** A line of a response: the path to write, and what stands there. */
export interface TreeLine {
  readonly path: string;
  readonly text: string;
  /** A list or an object, whose parts come below. */
  readonly inner: boolean;
}

/** Items of a longer list that are shown in full; those behind them are usually like it. */
const SHOWN_ITEMS = 1;

/** A list of so many short items is shown whole, in no more lines than this. */
const SMALL_LIST = 20;
const SMALL_LINES = 60;
/** A short item has no more members. */
const SHORT_ITEM = 4;

/** How many lines an item takes where each is short; 0 where one is long, or holds others. */
function shortParts(item: Value): number {
  if (Array.isArray(item)) return 0;
  const parts = isObject(item) ? Object.values(item) : [item];
  const isShort = (part: Value): boolean =>
    !Array.isArray(part) && !isObject(part) && brief(part, 100).length <= 60;
  return parts.length <= SHORT_ITEM && parts.every(isShort) ? Math.max(1, parts.length) : 0;
}

/** Each part of a value with its path. Of a list the first item stands for those that are like it. */
export function responseTree(value: Value, path = '$'): TreeLine[] {
  if (Array.isArray(value)) {
    if (value.length === 0) return [{ path, text: 'an empty list', inner: false }];
    const parts = value.map(shortParts);
    const isSmall =
      value.length <= SMALL_LIST &&
      parts.every((count) => count > 0) &&
      parts.reduce((sum, count) => sum + count, 0) <= SMALL_LINES;
    const shown = isSmall ? value.length : SHOWN_ITEMS;
    const shapes = value.map(shapeOf);
    const others = value.findIndex((_, i) => i >= shown && shapes[i] !== shapes[0]);
    const rest = value.length - shown;
    return [
      { path, text: `list of ${value.length}`, inner: true },
      ...value.slice(0, shown).flatMap((item, i) => responseTree(item, `${path}[${i}]`)),
      ...(others < 0
        ? []
        : [{ path: `${path}[${others}]`, text: `differs from the first: ${shapes[others]!}`, inner: false }]),
      ...(rest > 0
        ? [
            {
              path: `${path}[${shown}…${value.length - 1}]`,
              text: `${rest} more${others < 0 ? ' like it' : ''}`,
              inner: true,
            },
          ]
        : []),
    ];
  }
  if (isObject(value)) {
    const entries = Object.entries(value);
    if (entries.length === 0) return [{ path, text: 'an empty object', inner: false }];
    return entries.flatMap(([name, member]) => responseTree(member, path + pathStep(name)));
  }
  return [{ path, text: brief(value, 200), inner: false }];
}

/** What an item is made of, for telling whether others are like it. */
function shapeOf(value: Value): string {
  if (Array.isArray(value)) return 'a list';
  if (isObject(value)) return `an object of ${Object.keys(value).slice(0, 8).join(', ')}`;
  return value === null
    ? 'null'
    : typeof value === 'object'
      ? 'a number'
      : ({ string: 'a text', boolean: 'yes or no' }[typeof value as string] ?? 'a number');
}

/** Lines that are shown before the rest is only counted. */
const MOST_LINES = 80;

/** Prints a response: on the left the path to write, on the right what stands there. */
export function printTree(terminal: Terminal, lines: readonly TreeLine[]): void {
  const { colours, width, wrapWidth } = terminal;
  const shown = lines.slice(0, MOST_LINES);
  const column = Math.min(Math.max(...shown.map(({ path }) => widthOf(path))), Math.floor(width * 0.6)) + 2;
  for (const { path, text, inner } of shown) {
    const right = wrapWidth === Infinity ? text : fit(text, width - Math.max(column, widthOf(path) + 2));
    terminal.write(`${colours.cyan(pad(path, column - 2))}  ${inner ? colours.dim(right) : right}\n`);
  }
  if (lines.length > shown.length)
    terminal.write(
      colours.dim(
        `and ${lines.length - shown.length} more lines; batharon eval '${lines[0]!.path}' --on last:send prints all\n`,
      ),
    );
}
