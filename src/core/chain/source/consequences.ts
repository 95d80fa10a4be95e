import type { Finding } from './finding.ts';
import { unseen } from './unseen.ts';
import type { SourceFile, SourceNode } from './source-file.ts';

/** Problems after which something that the file does define may seem to be missing. */
const CAUSES: ReadonlySet<Finding['code']> = new Set([
  'yaml',
  'yaml-trap',
  'unknown-key',
  'missing-key',
  'wrong-form',
  'name-invalid',
  'bad-syntax',
  'unknown-function',
  'file-not-found',
  'no-response-here',
  'chain-circle',
  'not-a-list',
]);

/** What is worth a word only where nothing is wrong. */
export const ONLY_ALONE: ReadonlySet<Finding['code']> = new Set(['unused-input', 'secret-moved']);

/**
 * One mistake, one message: leaves out what only follows from something else that was found. A line that YAML or the eye
 * misreads says only that; where YAML is broken nothing below it is known; a name whose definition is at fault is not called
 * unknown, and no input unused while something else is wrong.
 */
export function withoutConsequences(file: SourceFile, all: readonly Finding[]): Finding[] {
  const seen = all.map((finding) => unseen(file, finding) ?? finding);
  const ofYaml = new Set(file.problems.map(({ message, place }) => `${place?.line} ${message}`));
  const first = file.isBroken
    ? seen.filter((_, i) => ofYaml.has(`${all[i]!.place?.line} ${all[i]!.message}`))
    : seen;
  const trapped = new Set(first.filter(({ code }) => code === 'yaml-trap').map(({ place }) => place?.line));
  // Nor has what YAML takes for its own any other meaning on its line.
  const refused = new Map(
    first.flatMap((one) => (one.code === 'yaml' ? [[one.place?.line, one]] : [])).reverse() as [
      number | undefined,
      Finding,
    ][],
  );
  const kept = withoutPieces(onePerPlace(first)).filter(
    (one) =>
      one.code === 'yaml-trap' ||
      (!trapped.has(one.place?.line) && (refused.get(one.place?.line) ?? one) === one),
  );
  if (file.isBroken) return firstOf(kept);
  const isAlone = kept.every(
    ({ code, level, instead }) => level === 'warning' && (ONLY_ALONE.has(code) || instead === undefined),
  );
  const causes = kept.filter(
    ({ code, level, name }) => level === 'problem' && name === undefined && CAUSES.has(code),
  );
  const written = causes.length > 0 ? writtenNames(file.root) : new Set<string>();
  // What a line would define if it were right.
  for (const { instead = '' } of causes)
    for (const [, key, step] of instead.matchAll(/([A-Za-z_]\w*):(?: ([A-Za-z_]\w*)$)?/g)) {
      written.add(key!);
      if (key === 'name' && step !== undefined) written.add(step);
    }
  return onePerName(
    kept.filter(({ code, name }) =>
      ONLY_ALONE.has(code) ? isAlone : name === undefined || !written.has(name),
    ),
  );
}

/** The first of what YAML made of a broken file; on one line what tells how to put it right. */
function firstOf(findings: readonly Finding[]): Finding[] {
  const [first] = inFileOrder(findings);
  const better = findings.find(
    ({ code, instead, place }) =>
      code === 'yaml' && instead !== undefined && place?.line === first?.place?.line,
  );
  return first ? [better ?? first] : [];
}

/** Of a name that is missing, or of another kind, in several places the first, with the lines of the others: it is so once. */
function onePerName(findings: readonly Finding[]): Finding[] {
  const lines = new Map<string, number[]>();
  const keyOf = ({ code, message, name }: Finding): string | undefined =>
    name === undefined && code !== 'wrong-kind' ? undefined : `${code} ${message}`;
  const first = inFileOrder(findings).filter((finding) => {
    const key = keyOf(finding);
    if (key === undefined) return true;
    const line = finding.place?.line ?? 0;
    const others = lines.get(key);
    if (others && others[0] !== line && !others.includes(line)) others.push(line);
    if (!others) lines.set(key, [line]);
    return !others;
  });
  return first.map((finding) => {
    const [, ...others] = lines.get(keyOf(finding) ?? '') ?? [];
    if (others.length === 0) return finding;
    const shown = others.slice(0, 5).join(', ') + (others.length > 5 ? ` and ${others.length - 5} more` : '');
    return {
      ...finding,
      message: `${finding.message} (also on line${others.length === 1 ? '' : 's'} ${shown})`,
    };
  });
}

function inFileOrder(findings: readonly Finding[]): Finding[] {
  return findings.toSorted(
    (a, b) => (a.place?.line ?? 0) - (b.place?.line ?? 0) || (a.place?.column ?? 0) - (b.place?.column ?? 0),
  );
}

/** Where an expression can't be read, what YAML made of the rest of its line in braces is none, nor is that a text. */
function withoutPieces(findings: readonly Finding[]): Finding[] {
  const cut = new Map<number, number>();
  for (const { code, place } of findings)
    if (code === 'bad-syntax' && place && !cut.has(place.line)) cut.set(place.line, place.column);
  return findings.filter(
    ({ code, message, place }) =>
      !place ||
      (cut.get(place.line) ?? Infinity) >= place.column ||
      !(
        code === 'name-invalid' ||
        code === 'expression-in-text' ||
        message.startsWith('an expression is needed here')
      ),
  );
}

/** Of several findings at one place that say the same, or that it has the wrong form, the first. */
function onePerPlace(findings: readonly Finding[]): Finding[] {
  const known = new Set<string>();
  return findings.filter(({ code, message, place }) => {
    const key = `${place?.line}:${place?.column} ${code} ${code === 'wrong-form' ? '' : message}`;
    return !known.has(key) && known.add(key);
  });
}

/** All that is written as a key, as the name of a step, or before `in` of a loop. */
function writtenNames(node: SourceNode, names = new Set<string>()): Set<string> {
  if (node.type === 'list') for (const item of node.items) writtenNames(item, names);
  if (node.type === 'map')
    for (const { key, value } of node.entries) {
      names.add(key.text);
      if (value.type !== 'scalar') writtenNames(value, names);
      else if (key.text === 'name') names.add(value.text);
      else
        for (const word of value.text
          .match(/^\s*(?:for\s+)?([A-Za-z_]\w*)(?:\s*,\s*([A-Za-z_]\w*))?\s+(?:in|of)\s/)
          ?.slice(1) ?? [])
          if (word) names.add(word);
    }
  return names;
}
