import type { Kind } from '../../language/kinds.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import type { Chain, FollowStep, Typed } from '../model.ts';
import { isSecret, kindOfExpressions, readOutcome } from './read-outcome.ts';
import type { StepBase, StepReader } from './step-reader.ts';
import { optional } from '../optional.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { formOf } from '../source/node-data.ts';

/** Members that every named step has, so that no result of a chain that is followed can have their names. */
const STEP_MEMBERS = ['ok', 'skipped', 'failed', 'problem', 'elapsed'];

/** Reads `follow`: the other file is read too, and its inputs and results are checked against what this one says. */
export function readFollow(
  reader: StepReader,
  node: MapNode,
  base: StepBase,
  scope: ChainScope,
): FollowStep | undefined {
  const { fields } = reader;
  const { findings } = fields;
  const line = valueOf(node, 'follow')!;
  const path = fields.literal(line);
  const inputsNode = valueOf(node, 'inputs');
  const inputs =
    inputsNode?.type === 'map'
      ? inputsNode.entries.flatMap(({ key, value }): (readonly [string, Typed])[] => {
          const typed = fields.typed(value, scope.outside());
          return typed ? [[key.text, typed]] : [];
        })
      : [];
  const inputsOf = inputsNode?.type === 'scalar' ? fields.members(inputsNode, scope.outside()) : undefined;
  const chain = path === undefined ? undefined : readOther(reader, line, path);
  if (chain) checkInputs(reader, inputsNode, line, chain);
  for (const { name } of chain?.results ?? [])
    if (STEP_MEMBERS.includes(name))
      findings.problem(
        line,
        'name-twice',
        `${path} has a result ${name}, and ${name} of a step says how it ended`,
        'another name for the result',
      );
  const results = new Map(
    (chain?.results ?? []).map(({ name, value }) => [
      name,
      { kind: kindOfExpressions(value), secret: isSecret(value) },
    ]),
  );
  const before = new Set([...results.keys()].filter((name) => scope.lookup(name)));
  const usedBefore = new Set(fields.used);
  fields.used.clear();
  const rest = readOutcome(reader, node, scope, scope.outside(results));
  for (const name of fields.used)
    if (before.has(name))
      findings.problem(
        line,
        'name-twice',
        `${name} is a result of ${path} and a name of this chain, so it can't be told which is meant`,
        base.name === undefined ? 'name: for this step, then NAME.RESULT' : `another name for one of them`,
      );
  for (const name of usedBefore) fields.used.add(name);
  if (!chain) return undefined;
  return {
    ...base,
    ...rest,
    type: 'follow',
    title: base.name ?? `follow ${path}`,
    chain,
    inputs,
    ...optional('inputsOf', inputsOf),
    uses: new Set(fields.used),
  };
}

function readOther(reader: StepReader, line: SourceNode, path: string): Chain | undefined {
  const { findings } = reader.fields;
  if (path.includes('${')) {
    findings.problem(
      line,
      'wrong-form',
      'which chain is followed is known before the run',
      'groups with when, one for each chain',
    );
    return undefined;
  }
  const read = reader.follow?.(path);
  if (!read) {
    const whole = ['.chain.yaml', '.yaml'].map((ending) => path + ending).find((one) => reader.follow?.(one));
    findings.problem(
      line,
      'file-not-found',
      `there is no chain ${path}`,
      whole === undefined ? 'a path begins at the folder of this chain file' : findings.becomes(line, whole),
    );
    return undefined;
  }
  const circle = reader.following?.indexOf(read.path) ?? -1;
  if (circle >= 0) {
    findings.problem(
      line,
      'chain-circle',
      `this chain would follow itself: ${[...reader.following!.slice(circle), read.path].join(' follows ')}`,
      'use repeat: to run steps again',
    );
    return undefined;
  }
  reader.files?.found.push(...read.findings);
  if (!read.chain)
    findings.problem(line, 'wrong-form', `${path} has problems of its own`, `batharon check ${read.path}`);
  return read.chain;
}

function checkInputs(
  { fields: { findings } }: StepReader,
  node: SourceNode | undefined,
  line: SourceNode,
  chain: Chain,
): void {
  const names = chain.inputs.map(({ name }) => name);
  const given = node?.type === 'map' ? node.entries : [];
  for (const { key } of given) {
    if (names.includes(key.text)) continue;
    const near = nearest(key.text, names);
    findings.problem(
      key,
      'unknown-name',
      `${chain.file} has no input ${key.text}`,
      findings.nearest(key, near, names.length > 0 ? `it has ${nameList(names)}` : 'inputs: in that chain'),
    );
  }
  // What a whole object gives is known only when it is there.
  if (node?.type === 'scalar' || node?.type === 'list') return;
  for (const { default: byDefault, kind, name } of chain.inputs) {
    const entry = given.find(({ key }) => key.text === name);
    if (!entry && byDefault === undefined)
      findings.problem(
        node?.type === 'map' ? node : line,
        'input-missing',
        `${chain.file} needs the input ${name}, and it is not given`,
        `inputs: { ${name}: … }`,
      );
    if (entry && entry.value.type !== 'scalar' && kind !== 'json' && kind !== 'rows')
      findings.problem(
        entry.value,
        'wrong-form',
        `the input ${name} is one value of kind ${kind}, but this is ${formOf(entry.value)}`,
      );
  }
}

/** The results of a chain as members of the step that follows it. */
export function resultKinds(chain: Chain): Readonly<Record<string, Kind>> {
  return Object.fromEntries(
    chain.results.map(({ name, value }): [string, Kind] => [name, kindOfExpressions(value)]),
  );
}
