import { callKeys } from '../keys/call-keys.ts';
import { groupKeys, stepKeys } from '../keys/step-keys.ts';
import { VERBS } from '../keys/step-shapes.ts';
import type { Findings } from '../source/findings.ts';
import { type MapNode, valueOf } from '../source/source-file.ts';

const isKey = (name: string): boolean =>
  [...stepKeys, ...callKeys, ...groupKeys].some((key) => key.name === name);

/** `- look:` with the step below it, as in a map of steps by their names: says so, and returns whether it is one. */
export function stepByName(findings: Findings, node: MapNode): boolean {
  const [only, ...more] = node.entries;
  if (!only || more.length > 0 || isKey(only.key.text)) return false;
  const { key, value } = only;
  if (value.type !== 'map' || !VERBS.some((verb) => valueOf(value, verb))) return false;
  const { column } = findings.file.place(key.range[0]);
  const start = value.entries[0]!.key.range[0];
  const end = value.entries.at(-1)!.value.range[1];
  const further = findings.file.place(start).column - column;
  const lines = (): string =>
    findings.file.text
      .slice(start, end)
      .trimEnd()
      .replaceAll(`\n${' '.repeat(further)}`, '\n');
  findings.problem(key, 'unknown-key', `a step has no key ${key.text}; its name is one of its keys`, {
    change:
      key.flow || further <= 0
        ? undefined
        : { range: [key.range[0], end], text: `name: ${key.text}\n${' '.repeat(column - 1)}${lines()}` },
    example: 'name: look',
  });
  return true;
}
