import {
  type ListNode,
  type MapNode,
  SourceFile,
  type SourceNode,
  valueOf,
} from '../core/chain/source/source-file.ts';
import { fail } from '../core/problems.ts';
import { scalar } from './yaml-text.ts';

/**
 * Puts entries and steps into files that people wrote, as text: comments, blank lines and the order of what is there stay.
 * Throws `cannot-add` where a file is written in a way that has no place for them.
 */

const section = (name: string, lines: readonly string[]): string =>
  `${name}:\n${lines.map((line) => (line === '' ? '' : `  ${line}`)).join('\n')}\n`;

/** Puts `name:` with its lines into the map under a key of the file, which is made where it is missing. */
export function addEntry(
  path: string,
  text: string,
  key: string,
  { name, lines }: { readonly name: string; readonly lines: readonly string[] },
): string {
  const [first = ''] = lines;
  const entry =
    lines.length === 1 && !/^[A-Za-z][\w-]*:(?: |$)/.test(first)
      ? [`${name}: ${first}`]
      : [`${name}:`, ...lines.map((line) => (line === '' ? '' : `  ${line}`))];
  return addLines(path, text, key, { type: 'map', lines: entry });
}

/** Puts a step behind the last one. Its lines begin with `- call:`. */
export function addStep(path: string, text: string, lines: readonly string[]): string {
  return addLines(path, text, 'steps', { type: 'list', lines });
}

/** Puts a name under `keep` of a step, found by its name. The expression stays as it is written. */
export function addKeep(
  path: string,
  text: string,
  step: string,
  { name, expression }: { readonly name: string; readonly expression: string },
): string {
  const node = stepNamed(valueOf(new SourceFile(path, text).root, 'steps'), step);
  if (!node)
    return fail('no-such-step', `${path} has no step of the name ${step}`, {
      hint: `name: ${step} on the step`,
    });
  const keep = valueOf(node, 'keep');
  const isOpen = (one: MapNode): boolean => text[one.range[0]] !== '{';
  const line = `${name}: ${scalar(expression)}`;
  const whole = text.endsWith('\n') ? text : `${text}\n`;
  if (keep?.type === 'map' && isOpen(keep))
    return insertAfterLine(whole, endOf(keep), [
      ' '.repeat(columnOf(text, keep.entries[0]!.key.range[0])) + line,
    ]);
  if (keep || !isOpen(node))
    return fail('cannot-add', `the step ${step} in ${path} is written in one line, with no place for more`, {
      hint: 'keep: with its names on lines of their own',
    });
  const indent = ' '.repeat(columnOf(text, node.entries[0]!.key.range[0]));
  return insertAfterLine(whole, endOf(node), [`${indent}keep:`, `${indent}  ${line}`]);
}

function stepNamed(steps: SourceNode | undefined, name: string): MapNode | undefined {
  for (const item of steps?.type === 'list' ? steps.items : []) {
    if (item.type !== 'map') continue;
    const own = valueOf(item, 'name');
    if (own?.type === 'scalar' && own.text === name) return item;
    const inner = stepNamed(valueOf(item, 'steps'), name) ?? stepNamed(valueOf(item, 'else'), name);
    if (inner) return inner;
  }
  return undefined;
}

function columnOf(text: string, offset: number): number {
  return offset - (text.lastIndexOf('\n', offset - 1) + 1);
}

function addLines(
  path: string,
  text: string,
  key: string,
  { type, lines }: { readonly type: 'map' | 'list'; readonly lines: readonly string[] },
): string {
  const file = new SourceFile(path, text);
  const root = file.root;
  if (root.type !== 'map' && root.type !== 'empty')
    fail('cannot-add', `${path} is no map of keys, so nothing can be added to it`);
  const node = root.type === 'map' ? valueOf(root, key) : undefined;
  const whole = text === '' || text.endsWith('\n') ? text : `${text}\n`;
  if (!node) return `${whole}${whole.trim() === '' ? '' : '\n'}${section(key, lines)}`;
  if (node.type === 'empty') {
    const entry = (root as MapNode).entries.find((one) => one.key.text === key)!;
    return insertAfterLine(
      whole,
      entry.key.range[1],
      lines.map((line) => `  ${line}`),
    );
  }
  if (node.type !== type || /^[{[]/.test(text.slice(node.range[0], node.range[0] + 1)))
    return fail('cannot-add', `${key} in ${path} is written in one line, with no place for more`, {
      hint: `${key}: with its entries on lines of their own`,
    });
  return insertAfterLine(whole, endOf(node), indented(text, node, lines));
}

/** Lines with the indentation that those beside them have. */
function indented(text: string, node: MapNode | ListNode, lines: readonly string[]): string[] {
  const [start] =
    node.type === 'map' ? (node.entries[0]?.key.range ?? node.range) : (node.items[0]?.range ?? node.range);
  const before = text.slice(text.lastIndexOf('\n', start - 1) + 1, start);
  const indent = /^ */.exec(before)![0];
  // Steps that others have put a blank line between get one too.
  const spaced =
    node.type === 'list' && node.items.length > 1 && /\n[ \t]*\n[ \t]*- /.test(text.slice(...node.range));
  return [...(spaced ? [''] : []), ...lines.map((line) => (line === '' ? '' : indent + line))];
}

/** Where the last thing in a node ends. */
function endOf(node: SourceNode): number {
  if (node.type === 'map') {
    const last = node.entries.at(-1);
    if (!last) return node.range[1];
    return last.value.type === 'empty' ? last.key.range[1] : endOf(last.value);
  }
  if (node.type === 'list') {
    const last = node.items.at(-1);
    return last ? endOf(last) : node.range[1];
  }
  return node.range[1];
}

function insertAfterLine(text: string, offset: number, lines: readonly string[]): string {
  // The range of a block of text ends with its last line break.
  const within = text[offset - 1] === '\n' ? offset - 1 : offset;
  const end = text.indexOf('\n', within);
  const at = end < 0 ? text.length : end + 1;
  return `${text.slice(0, at)}${lines.join('\n')}\n${text.slice(at)}`;
}
