import { namesIn, type Tree } from '../../language/tree.ts';
import { nearest } from '../../language/nearest.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import { maybe } from '../../language/kinds.ts';
import { stepKind } from '../fields/step-kinds.ts';
import { callKeys } from '../keys/call-keys.ts';
import { groupKeys, stepKeys, verbKeys } from '../keys/step-keys.ts';
import { STEP_SHAPES, type Verb, VERBS } from '../keys/step-shapes.ts';
import { ON_FAIL, type Step, type WaitStep } from '../model.ts';
import { readAsk } from './read-ask.ts';
import { readCall } from './read-call.ts';
import { readFollow, resultKinds } from './read-follow.ts';
import { readEach, readRepeat } from './read-loops.ts';
import { readMustFail } from './read-must-fail.ts';
import { readOutcome } from './read-outcome.ts';
import { constant } from '../fields/constant-conditions.ts';
import type { StepBase, StepReader } from './step-reader.ts';
import { optional } from '../optional.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { stepByName } from './step-by-name.ts';
import { fingerprintOf } from './step-fingerprint.ts';
import { METHODS } from '../../methods.ts';
import { replacedBy, rewritten } from '../source/changes.ts';
import { asScalar } from '../source/scalar-text.ts';
import { CALL_KEYS, keysMeantBy, METHOD_KEYS } from '../source/key-habits.ts';
import { checkStructure } from '../source/structure.ts';

const WHAT: Readonly<Record<Verb, string>> = {
  call: 'a call',
  each: 'an each',
  repeat: 'a repeat',
  follow: 'a follow',
  ask: 'an ask',
  wait: 'a wait',
  steps: 'a group',
  plain: 'a step',
};

/** Reads a list of steps; `address` is that of what they stand in. */
export function readSteps(reader: StepReader, node: SourceNode, scope: ChainScope, address: string): Step[] {
  if (node.type !== 'list') return []; // said by the structure of what it stands in
  reader.fields.findings.keyLists.add(verbKeys);
  return node.items.flatMap((item, i) => {
    const step = readStep(reader, item, scope, { parent: address, position: i });
    return step ? [step] : [];
  });
}

function readStep(
  reader: StepReader,
  node: SourceNode,
  scope: ChainScope,
  { parent, position }: { readonly parent: string; readonly position: number },
): Step | undefined {
  const { findings } = reader.fields;
  if (node.type !== 'map') {
    const isCall = node.type === 'scalar' && METHODS.has(/^[A-Z]+(?= )/.exec(node.text)?.[0] ?? '');
    findings.problem(
      node,
      'wrong-form',
      isCall ? 'a request follows call:' : 'a step is a map of keys',
      isCall
        ? { change: replacedBy(node, `call: ${findings.file.text.slice(...node.range)}`) }
        : { example: '- call: GET kiln /racks' },
    );
    return undefined;
  }
  const loops = valueOf(node, 'each') ?? valueOf(node, 'repeat');
  const verbs = VERBS.filter((name) => valueOf(node, name) && !(loops && name === 'steps'));
  if (verbs.length > 1) {
    const second = node.entries.filter(({ key }) => (verbs as readonly string[]).includes(key.text))[1]!;
    findings.problem(
      second.key,
      'wrong-form',
      loops
        ? `what a loop does for each item stands in a list under steps:`
        : `a step does one thing, and this one has ${verbs.join(' and ')}`,
      loops
        ? { example: `steps:\n  - ${findings.file.line(findings.place(second.key).line).trim()}` }
        : `a step of its own for ${second.key.text}`,
    );
    return undefined;
  }
  if (stepByName(findings, node)) return undefined;
  const type = verbs[0] ?? 'plain';
  if ((type === 'plain' || type === 'steps') && verbOfElsewhere(reader, node)) return undefined;
  if (type === 'plain' && misspelledVerb(reader, node)) return undefined;
  checkStructure(findings, node, STEP_SHAPES[type], WHAT[type]);
  const nameNode = valueOf(node, 'name');
  const name = nameNode?.type === 'scalar' && reader.fields.name(nameNode) ? nameNode.text : undefined;
  const address = `${parent}${parent === '' ? '' : '.'}${name ?? position}`;
  scope.reading(name, true);
  const when = valueOf(node, 'when');
  reader.fields.used.clear();
  const condition = when && reader.fields.condition(when, scope.outside());
  if (condition) unreachable(reader, when, condition.expression.tree);

  // What `when` makes sure of is there inside the step.
  const inner = scope.branch();
  if (condition) for (const sure of assured(condition.expression.tree)) certain(inner, sure);

  const base = {
    address,
    ...(name === undefined ? {} : { name }),
    ...optional('about', reader.fields.literal(valueOf(node, 'about'))),
    at: findings.place(node),
    ...optional('when', condition),
    onFail: onFailOf(reader.fields.literal(valueOf(node, 'on-fail'))),
    ...optional('mustFail', readMustFail(reader, valueOf(node, 'must-fail'))),
    undo: [],
    fingerprint: fingerprintOf(node, scope.functions),
  };
  const read = readBody(reader, node, type, { base, inner, outer: scope });
  const undo = readUndo(reader, node, inner, address);
  // A copy of each step takes as long as reading it.
  const step = read && Object.assign(read, { undo });
  reader.fields.used.forEach((used) => reader.used.add(used));
  scope.reading(name, false);
  settleNames(reader, node, scope, { inner, base, step, nameNode });
  return step;
}

function onFailOf(written: string | undefined): Step['onFail'] {
  return ON_FAIL.find((one) => one === written) ?? 'stop';
}

function readBody(
  reader: StepReader,
  node: MapNode,
  type: Verb,
  { base, inner, outer }: { readonly base: StepBase; readonly inner: ChainScope; readonly outer: ChainScope },
): Step | undefined {
  if (type === 'call') return readCall(reader, node, base, inner);
  if (type === 'each') return readEach(reader, node, base, { scope: inner, readSteps });
  if (type === 'repeat') return readRepeat(reader, node, base, { scope: inner, readSteps });
  if (type === 'follow') return readFollow(reader, node, base, inner);
  if (type === 'ask') return readAsk(reader, node, base, inner);
  const common = () => ({
    ...readOutcome(reader, node, inner, inner.outside()),
    uses: new Set(reader.fields.used),
  });
  if (type === 'wait') {
    const value = valueOf(node, 'wait')!;
    const duration = reader.fields.duration(value, inner.outside());
    const rest = common();
    return (
      duration &&
      ({ ...base, ...rest, type: 'wait', title: base.name ?? 'wait', duration } satisfies WaitStep)
    );
  }
  if (type === 'plain') {
    const rest = common();
    const does = [
      rest.keep[0]?.name,
      rest.write && titleOfWrite(node),
      rest.expect.length > 0 ? 'expect' : undefined,
      rest.show && 'show',
    ].find((one) => one !== undefined);
    return { ...base, ...rest, type: 'plain', title: base.name ?? does ?? 'step' };
  }
  const otherwiseNode = valueOf(node, 'else');
  if (otherwiseNode && !valueOf(node, 'when')) {
    reader.fields.findings.problem(
      otherwiseNode,
      'missing-key',
      'else without when',
      'when: condition, on the same group',
    );
  }
  const usedHere = new Set(reader.fields.used);
  const first = inner.branch();
  const steps = readSteps(reader, valueOf(node, 'steps')!, first, base.address);
  const defined = first.added().map(([name]) => name);
  let second: ChainScope | undefined;
  let otherwise: Step[] | undefined;
  if (otherwiseNode) {
    inner.forget(defined);
    second = outer.branch();
    otherwise = readSteps(reader, otherwiseNode, second, `${base.address}.else`);
    for (const [name] of second.added()) defined.push(name);
  }
  if (valueOf(node, 'when'))
    inner.join(first, second, 'it is kept only where the condition of its group holds');
  else for (const [name, known] of first.added()) inner.set(name, known, known.line);
  inner.lastCall = first.lastCall ?? inner.lastCall;
  reader.fields.used.clear();
  usedHere.forEach((name) => reader.fields.used.add(name));
  const rest = common();
  return {
    ...base,
    ...rest,
    type: 'group',
    title: base.name ?? 'steps',
    steps,
    ...optional('otherwise', otherwise),
  };
}

/** What a step is called that only writes a row. */
function titleOfWrite(node: MapNode): string {
  const write = valueOf(node, 'write');
  const to = write?.type === 'map' ? valueOf(write, 'to') : undefined;
  return to?.type === 'scalar' ? `write ${to.text}` : 'write';
}

/** Reads the steps that take back what a step did; no name is in doubt there, since the step has passed. */
function readUndo(reader: StepReader, node: MapNode, scope: ChainScope, address: string): Step[] {
  const undo = valueOf(node, 'undo');
  if (!undo) return [];
  const { used } = reader.fields;
  const usedHere = new Set(used);
  const as = reader.fields.literal(valueOf(node, 'as'));
  const steps = readSteps(
    { ...reader, undoing: true, ending: true, ...optional('undoAs', as) },
    undo,
    scope.branch(),
    `${address}.undo`,
  );
  used.clear();
  usedHere.forEach((name) => used.add(name));
  return steps;
}

/** What is called otherwise elsewhere: `get: /racks`, `foreach: one in pieces`, `sleep: 2s`. */
function verbOfElsewhere(reader: StepReader, node: MapNode): boolean {
  const { findings } = reader.fields;
  const known = new Set([...stepKeys, ...groupKeys].map(({ name }) => name));
  for (const { key, value } of node.entries) {
    if (known.has(key.text) || key.text === 'steps') continue;
    const line = value.type === 'scalar' ? value.text : '';
    const isMethod = METHOD_KEYS.has(key.text.toLowerCase());
    const call = isMethod
      ? `${key.text.toUpperCase()} ${line}`
      : CALL_KEYS.has(key.text) && /^[A-Z]+ \S/.test(line)
        ? line
        : CALL_KEYS.has(key.text) && /^https?:\/\//.test(line)
          ? `GET ${line}`
          : undefined;
    const verb = keysMeantBy(key.text).find((one) => (VERBS as readonly string[]).includes(one));
    if (verb === undefined && (call === undefined || line === '')) continue;
    const range = [key.range[0], value.type === 'scalar' ? value.range[1] : key.range[1]] as const;
    findings.problem(key, 'unknown-key', `a step has no key ${key.text}`, {
      hint: `the nearest is ${verb ?? 'call'}`,
      change:
        call !== undefined && line !== ''
          ? { range, text: `call: ${asScalar(call, key.flow)}` }
          : rewritten(findings.file, key, verb!),
    });
    return true;
  }
  return false;
}

/** A key that is nearly a verb, in a step that has none. */
function misspelledVerb(reader: StepReader, node: MapNode): boolean {
  const known = stepKeys.map(({ name }) => name);
  const callOnly = callKeys.map(({ name }) => name);
  for (const { key } of node.entries) {
    if (known.includes(key.text)) continue;
    const verbNear = nearest(key.text, VERBS);
    if (
      verbNear !== undefined &&
      !callOnly.includes(key.text) &&
      nearest(key.text, [...known, ...VERBS, ...callOnly]) === verbNear
    ) {
      reader.fields.findings.problem(
        key,
        'unknown-key',
        `a step has no key ${key.text}`,
        reader.fields.findings.becomes(key, verbNear, `the nearest is ${verbNear}`),
      );
      return true;
    }
    if (callOnly.includes(key.text)) {
      reader.fields.findings.problem(
        key,
        'missing-key',
        `${key.text} belongs to a call, and this step has none`,
        'call: GET kiln /racks',
      );
      return true;
    }
  }
  return false;
}

/** After a step its name and the names it kept are known to those below it. */
function settleNames(
  reader: StepReader,
  node: MapNode,
  scope: ChainScope,
  {
    inner,
    base,
    step,
    nameNode,
  }: {
    readonly inner: ChainScope;
    readonly base: StepBase;
    readonly step: Step | undefined;
    readonly nameNode: SourceNode | undefined;
  },
): void {
  const mayBeSkipped = base.when !== undefined && !(step?.type === 'group' && step.otherwise);
  for (const [name, entry] of inner.added()) {
    const why = mayBeSkipped ? `it is kept in a step that may be skipped (line ${entry.line})` : undefined;
    scope.set(name, { ...entry, ...optional('mayBeNothing', entry.mayBeNothing ?? why) }, entry.line);
  }
  if (inner.lastCall !== undefined) scope.lastCall = inner.lastCall;
  if (base.name !== undefined && nameNode) {
    const isCall = valueOf(node, 'call') !== undefined;
    const { line } = reader.fields.findings.place(nameNode);
    const kind = stepKind(
      isCall ? 'call' : valueOf(node, 'each') ? 'each' : 'other',
      step?.type === 'follow'
        ? resultKinds(step.chain)
        : step?.type === 'call' && step.describedBody
          ? { body: maybe(step.describedBody) }
          : {},
    );
    scope.set(`steps.${base.name}`, { kind }, line);
    // What a step keeps under its own name is what the name then means.
    const before = keepsOwnName(node, base.name) ? undefined : scope.define(base.name, { kind }, line);
    if (before !== undefined) {
      reader.fields.findings.problem(
        nameNode,
        'name-twice',
        `the name ${base.name} is already defined on line ${before}`,
        "use another name; names can't be shadowed",
      );
    }
    if (isCall) scope.lastCall = base.name;
  }
}

/** Whether a step keeps or gathers a value under its own name. */
function keepsOwnName(node: MapNode, name: string): boolean {
  if (valueOf(node, 'ask')) return true;
  return ['keep', 'gather'].some((key) => {
    const map = valueOf(node, key);
    return map?.type === 'map' && map.entries.some((entry) => entry.key.text === name);
  });
}

/** Names that are there where a condition holds: exists(x), x != nothing, and any comparison that speaks of x itself. */
function assured(tree: Tree): string[] {
  if (tree.type === 'binary' && tree.operator === '&&')
    return [...assured(tree.left), ...assured(tree.right)];
  if (tree.type === 'call' && tree.name === 'exists' && tree.arguments[0])
    return [...namesIn(tree.arguments[0])];
  const isNothing = (side: Tree): boolean => side.type === 'literal' && side.value === undefined;
  if (tree.type === 'binary' && tree.operator === '!=' && (isNothing(tree.left) || isNothing(tree.right))) {
    return [...namesIn(isNothing(tree.left) ? tree.right : tree.left)];
  }
  return [];
}

function certain(scope: ChainScope, name: string): void {
  const known = scope.lookup(name);
  if (known?.mayBeNothing !== undefined) {
    const { kind, secret, line } = known;
    scope.set(name, { kind, ...optional('secret', secret) }, line);
  }
}

function unreachable(reader: StepReader, node: SourceNode, tree: Tree): void {
  const value = constant(tree);
  if (value === undefined) return;
  reader.fields.findings.warn(
    node,
    'unreachable',
    value
      ? 'this always holds, so when has no effect (and else is never carried out)'
      : 'this never holds, so the step is never carried out',
    'a condition on an input or a kept name',
  );
}
