import type { Finding } from './findings.ts';
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
  'chain-circle',
  'not-a-list',
]);

/** What is worth a word only where nothing is wrong. */
const ONLY_ALONE: ReadonlySet<Finding['code']> = new Set(['unused-input', 'secret-moved']);

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
  const kept = onePerPlace(first).filter(
    ({ code, place }) => code === 'yaml-trap' || !trapped.has(place?.line),
  );
  if (file.isBroken)
    return kept.filter(
      ({ code }, i) => code === 'yaml-trap' || i === kept.findIndex((one) => one.code === 'yaml'),
    );
  const isAlone = kept.every(
    ({ code, level, instead }) => level === 'warning' && (ONLY_ALONE.has(code) || instead === undefined),
  );
  const causes = kept.filter(
    ({ code, level, name }) => level === 'problem' && name === undefined && CAUSES.has(code),
  );
  const written = causes.length > 0 ? writtenNames(file.root) : new Set<string>();
  // What a line would define if it were right.
  for (const { instead = '' } of causes)
    for (const [, name] of instead.matchAll(/([A-Za-z_]\w*):/g)) written.add(name!);
  return kept.filter(({ code, name }) =>
    ONLY_ALONE.has(code) ? isAlone : name === undefined || !written.has(name),
  );
}

/** Of several findings at one place that say the same, the first. */
function onePerPlace(findings: readonly Finding[]): Finding[] {
  const known = new Set<string>();
  return findings.filter(({ code, message, place }) => {
    const key = `${place?.line}:${place?.column} ${code} ${message}`;
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
