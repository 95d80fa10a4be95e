import type * as z from 'zod';
import { METHODS } from '../../methods.ts';
import { replacedBy, rewritten } from './changes.ts';
import { listMeantBy, mapMeantBy, meantBy } from './repair-value.ts';
import { asScalar } from './scalar-text.ts';
import type { Change } from './source-problem.ts';
import type { ListNode, MapEntry, MapNode, SourceFile, SourceNode } from './source-file.ts';
import { valueMeantBy } from './value-habits.ts';

/** The name by which the steps below a loop insert its item, as far as that can be told; a name of its own where they insert none. */
export function itemBelow(below: string, own: string): string {
  const text = below.slice(0, 2_000);
  return new RegExp(`\\b${own}\\b`).test(text) ? own : (/\$\{\s*([A-Za-z_]\w*)/.exec(text)?.[1] ?? own);
}

/** The change by which a value is what it was probably meant as; undefined where that can't be told. */
export function meantValue(
  file: SourceFile,
  name: string,
  value: SourceNode,
  shape: z.ZodType,
): Change | undefined {
  const takes = (plain: unknown): boolean => shape.safeParse(plain).success;
  if (name === 'each' && value.type === 'list' && value.items.length > 0) {
    const item = itemBelow(file.text.slice(value.range[1]), 'one');
    return replacedBy(value, `${item} in ${file.text.slice(...value.range).trim()}`);
  }
  if (value.type === 'list' && value.items.length === 1) {
    const [only] = value.items;
    if (only?.type === 'scalar' && takes(only.text)) return replacedBy(value, file.text.slice(...only.range));
  }
  const words =
    value.type === 'list' ? value.items.flatMap((item) => (item.type === 'scalar' ? [item.text] : [])) : [];
  if (value.type === 'list' && name === 'scope' && words.length === value.items.length)
    return replacedBy(value, words.join(' '));
  if (value.type === 'list' && (takes({}) || takes({ x: 'y' }))) return mapOfList(file, name, value);
  if (value.type === 'list') return itemsMeantBy(file, name, value, takes);
  if (OF_STEPS.has(name) && value.type === 'map') return itemOfMap(file, value);
  if (name === 'each' && value.type === 'map' && value.entries.length === 1) {
    const [{ key, value: list }] = value.entries as [MapEntry];
    return list.type === 'scalar' ? replacedBy(value, `${key.text} in ${list.text}`) : undefined;
  }
  if (value.type !== 'scalar') return undefined;
  const habit = valueMeantBy(name, value.text);
  if (habit !== undefined && takes(habit)) return rewritten(file, value, habit);
  for (const text of meantBy(value.text, shape)) if (takes(text)) return rewritten(file, value, text);
  if (OF_STEPS.has(name) && METHODS.has(/^[A-Z]+(?= )/.exec(value.text)?.[0] ?? '')) {
    const before = file.text.slice(file.text.lastIndexOf('\n', value.range[0]) + 1, value.range[0]);
    const blanks = ' '.repeat(/^[ -]*/.exec(before)![0].length + 2);
    const start = value.range[0] - /[ ]*$/.exec(before)![0].length;
    return { range: [start, value.range[1]], text: `\n${blanks}- call: ${file.text.slice(...value.range)}` };
  }
  if (takes([value.text])) return replacedBy(value, listMeantBy(value.text));
  const map =
    takes({}) || takes({ x: 'y' }) || takes({ until: 'x' }) ? mapMeantBy(name, value.text) : undefined;
  return map === undefined ? undefined : replacedBy(value, map);
}

/** A list of which some items are not what it takes, each as what it was meant as. */
function itemsMeantBy(
  file: SourceFile,
  name: string,
  list: ListNode,
  takes: (plain: unknown) => boolean,
): Change | undefined {
  const isBlock = file.text[list.range[0]] === '-';
  const items = list.items.map((item) => {
    if (item.type !== 'scalar') return undefined;
    return takes([item.text]) ? item.text : valueMeantBy(name, item.text);
  });
  if (isBlock || items.some((item) => item === undefined || !takes([item]))) return undefined;
  return replacedBy(list, `[${items.map((item) => asScalar(item!, true)).join(', ')}]`);
}

/** A lone map where a list of them is taken: the same lines with a dash before the first. */
function itemOfMap(file: SourceFile, map: MapNode): Change | undefined {
  const [first] = map.entries;
  const last = map.entries.at(-1);
  if (!first || !last || file.text[map.range[0]] === '{') return undefined;
  const range = [first.key.range[0], last.value.range[1]] as const;
  return { range, text: `- ${file.text.slice(...range).replaceAll('\n', '\n  ')}` };
}

/** A list of single members where a map is taken: the same lines without their dashes. */
function mapOfList(file: SourceFile, name: string, list: ListNode): Change | undefined {
  const isBlock = file.text[list.range[0]] === '-';
  // Those of a whole file are defined, those of a step given.
  const isDefining = name === 'inputs' && file.place(list.range[0]).column <= 3;
  const members = list.items.map((item) => {
    if (item.type === 'map' && item.entries.length === 1) {
      const [{ key, value }] = item.entries as [MapEntry];
      if (value.type !== 'scalar') return undefined;
      if (isDefining) return `${key.text}: { default: ${file.text.slice(...value.range)} }`;
      return file.text.slice(key.range[0], value.range[1]);
    }
    if (item.type !== 'scalar' || !/^[A-Za-z_]\w*$/.test(item.text)) return undefined;
    if (isDefining) return `${item.text}: {}`;
    return GIVES_NAMES.has(name) ? `${item.text}: ${item.text}` : undefined;
  });
  if (members.length === 0 || members.includes(undefined)) return undefined;
  const last = list.items.at(-1)!;
  const end = last.type === 'map' ? last.entries[0]!.value.range[1] : last.range[1];
  const blanks = ' '.repeat(file.place(list.range[0]).column - 1);
  return isBlock
    ? { range: [list.range[0], end], text: members.join(`\n${blanks}`) }
    : replacedBy(list, `{ ${members.join(', ')} }`);
}

/** Keys that take a list of steps. */
const OF_STEPS: ReadonlySet<string> = new Set(['steps', 'undo', 'cleanup', 'else']);

/** Keys of which each member is a name and an expression. */
const GIVES_NAMES: ReadonlySet<string> = new Set(['keep', 'gather', 'results']);
