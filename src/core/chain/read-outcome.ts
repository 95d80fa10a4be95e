import { compileTest } from '../language/compile.ts';
import type { World } from '../language/environment.ts';
import { ANY, BIT, type Kind, listOf, objectKind } from '../language/kinds.ts';
import type { StaticScope } from '../language/scope.ts';
import { isRelation, type Tree } from '../language/tree.ts';
import { ProblemError } from '../problems.ts';
import type { ChainScope } from './chain-scope.ts';
import { RESERVED_NAMES } from './names.ts';
import type { FieldReader } from './fields.ts';
import type { Finding } from './findings.ts';
import { expectationKeys } from './step-keys.ts';
import type { Chain, Expectation, Expressions, Input, Keep, Step, Template } from './model.ts';
import type { Project } from './project.ts';
import { type MapNode, type ScalarNode, type SourceFile, type SourceNode, valueOf } from './source.ts';
import { checkStructure } from './structure.ts';
import { optional } from './optional.ts';
import { readWrite } from './read-write.ts';

/** What reading steps needs to know besides the file itself. */
export interface StepReader {
  readonly fields: FieldReader;
  readonly project: Project;
  /** All names that the chain uses anywhere. */
  readonly used: Set<string>;
  /** Files that the chain file names, and what was found in them. */
  readonly files?: OtherFiles;
  /** The steps that are read take something back. */
  readonly undoing?: boolean;
  /** The credential of the step whose undo is read. */
  readonly undoAs?: string;
  /** The inputs of the chain. */
  readonly inputs?: readonly Input[];
  /** The chain files that follow one another up to this one. */
  readonly following?: readonly string[];
  /** Reads a chain file that a step follows. */
  readonly follow?: (path: string) => FollowedFile | undefined;
}

/** A chain file that another one follows, as read. */
export interface FollowedFile {
  readonly path: string;
  readonly chain?: Chain;
  /** Names of inputs and results are known even where something else is wrong. */
  readonly findings: readonly FileFinding[];
}

/** A finding with the file in which it was found. */
export interface FileFinding {
  readonly file: SourceFile;
  readonly finding: Finding;
}

/** Reads the files that a chain file names, by their paths as written there. */
export interface OtherFiles {
  readonly read: (path: string) => { readonly path: string; readonly text: string } | undefined;
  readonly exists: (path: string) => boolean;
  /** The columns of a file of CSV that is there. */
  readonly columns: (path: string) => readonly string[] | undefined;
  /** Files that steps above write; `*` where what one writes is known only in the run. */
  readonly made: Set<string>;
  readonly found: FileFinding[];
}

/** What is common to all steps and read before what they do. */
export type StepBase = Pick<Step, 'address' | 'name' | 'about' | 'at' | 'when' | 'onFail' | 'hash' | 'undo'>;

/** Reads keep, expect, write and show, in the order in which they are carried out. */
export function readOutcome(
  reader: StepReader,
  node: MapNode,
  scope: ChainScope,
  given: StaticScope,
): Pick<Step, 'expect' | 'keep' | 'show' | 'write'> {
  const { fields } = reader;
  const keepNode = valueOf(node, 'keep');
  const secretPaths = hiddenPaths(keepNode);
  const expressions = secretPaths.size === 0 ? given : { ...given, secretPaths };
  const keep: Keep[] = [];
  const kept = new Set(keepNode?.type === 'map' ? keepNode.entries.map(({ key }) => key.text) : []);
  const expectNode = valueOf(node, 'expect');
  const expectNodes =
    !expectNode || expectNode.type === 'empty'
      ? []
      : expectNode.type === 'list'
        ? expectNode.items
        : [expectNode];
  const early = expectNodes.filter((one) => !usesAny(one, kept));
  const late = expectNodes.filter((one) => usesAny(one, kept));
  const tried = new Map(early.map((one) => [one, readExpectation(reader, one, expressions, false)]));
  for (const { key, value } of keepNode?.type === 'map' ? keepNode.entries : []) {
    const one = readKeep(reader, key, value, scope, expressions);
    if (one) keep.push(one);
  }
  for (const one of late) tried.set(one, readExpectation(reader, one, expressions, true));
  const write = readWrite(reader, node, expressions);
  const showNode = valueOf(node, 'show');
  const show = showNode && fields.template(showNode, expressions);
  return {
    expect: expectNodes.flatMap((one) => tried.get(one) ?? []),
    keep,
    ...optional('write', write),
    ...optional('show', show),
  };
}

/** What stands in `hidden(…)`: wherever the step says the same path, its value is a secret too. */
function hiddenPaths(keep: SourceNode | undefined): ReadonlySet<string> {
  const paths = (keep?.type === 'map' ? keep.entries : []).flatMap(({ value }) =>
    value.type === 'scalar' ? (/^\s*hidden\(\s*(.+?)\s*\)\s*$/s.exec(value.text)?.[1] ?? []) : [],
  );
  return new Set(paths);
}

function usesAny(node: SourceNode, names: ReadonlySet<string>): boolean {
  const text =
    node.type === 'scalar'
      ? node.text
      : node.type === 'map'
        ? (valueOf(node, 'holds') as ScalarNode | undefined)?.text
        : undefined;
  return (
    typeof text === 'string' &&
    [...text.matchAll(/[A-Za-z_][A-Za-z0-9_]*/g)].some(([word]) => names.has(word))
  );
}

/** Expectations that stand by themselves, such as those of a service. */
export function readExpectations(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: StaticScope,
): Expectation[] {
  if (!node || node.type === 'empty') return [];
  return (node.type === 'list' ? node.items : [node]).flatMap((one) =>
    readExpectation({ fields }, one, scope, false),
  );
}

function readExpectation(
  reader: Pick<StepReader, 'fields'>,
  node: SourceNode,
  scope: StaticScope,
  afterKeep: boolean,
): Expectation[] {
  const { fields } = reader;
  let conditionNode: SourceNode | undefined = node;
  let because: Template | undefined;
  if (node.type === 'map') {
    checkStructure(fields.findings, node, expectationKeys, 'an expectation');
    conditionNode = valueOf(node, 'holds');
    const why = valueOf(node, 'because');
    because = why && fields.template(why, scope, { hint: false });
  }
  if (!conditionNode) return [];
  const condition = fields.condition(conditionNode, scope);
  if (condition && constant(condition.expression.tree) !== undefined) {
    fields.findings.remark(
      conditionNode,
      'unreachable',
      `this is always ${String(constant(condition.expression.tree))}, whatever comes`,
    );
  }
  return condition ? [{ condition, afterKeep, ...optional('because', because) }] : [];
}

function readKeep(
  reader: StepReader,
  key: ScalarNode,
  node: SourceNode,
  scope: ChainScope,
  expressions: StaticScope,
): Keep | undefined {
  const { fields } = reader;
  const valid = fields.name(key, RESERVED_NAMES);
  const value = fields.expressions(node, expressions, { outermost: 'hidden' });
  const hidden =
    value?.type === 'expression' &&
    value.value.expression.tree.type === 'call' &&
    value.value.expression.tree.name === 'hidden';
  const secret = value !== undefined && isSecret(value);
  if (valid) {
    const kind = value ? kindOfExpressions(value) : ANY;
    const { line } = fields.findings.place(key);
    const before = scope.define(
      key.text,
      { kind: { ...kind, bits: kind.bits & ~BIT.nothing }, secret: hidden || secret },
      line,
    );
    if (before !== undefined) {
      fields.findings.problem(
        key,
        'name-twice',
        `the name ${key.text} is defined on line ${before} already`,
        `another name; nothing hides anything`,
      );
    }
  }
  return valid && value
    ? { name: key.text, value, hidden, secret, at: fields.findings.place(key) }
    : undefined;
}

/** Whether a value uses a secret, so that it is one. */
export function isSecret(value: Expressions): boolean {
  if (value.type === 'expression') return value.value.expression.secret;
  if (value.type === 'list') return value.items.some(isSecret);
  return value.members.some(([, member]) => isSecret(member));
}

export function kindOfExpressions(value: Expressions): Kind {
  if (value.type === 'expression') return value.value.expression.kind;
  if (value.type === 'list') return listOf(ANY);
  return objectKind(
    Object.fromEntries(value.members.map(([name, member]) => [name, kindOfExpressions(member)])),
  );
}

/** The value of a condition that speaks of nothing that can change. */
export function constant(tree: Tree): boolean | undefined {
  if (tree.type === 'literal') return typeof tree.value === 'boolean' ? tree.value : undefined;
  if (tree.type === 'unary' && tree.operator === '!') {
    const inner = constant(tree.operand);
    return inner === undefined ? undefined : !inner;
  }
  if (tree.type === 'binary' && isRelation(tree.operator) && isLiteral(tree.left) && isLiteral(tree.right))
    return literalsHold(tree);
  if (tree.type !== 'binary' || (tree.operator !== '&&' && tree.operator !== '||')) return undefined;
  const [left, right] = [constant(tree.left), constant(tree.right)];
  const decides = tree.operator === '||';
  if (left === decides || right === decides) return decides;
  return left === undefined || right === undefined ? undefined : !decides;
}

function isLiteral(tree: Tree): boolean {
  return (
    (tree.type === 'literal' && tree.value !== undefined) ||
    (tree.type === 'list' && tree.items.every(isLiteral)) ||
    (tree.type === 'unary' && tree.operator === '-' && isLiteral(tree.operand))
  );
}

/** Whether a comparison of literals holds; nothing where they can't be compared. */
function literalsHold(tree: Tree): boolean | undefined {
  try {
    return compileTest(tree)(
      { answer: undefined, name: () => undefined, world: NO_WORLD, visited: 0 },
      undefined,
    );
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}

const NO_WORLD: World = {
  now: () => 0,
  chance: () => 0,
  digest: (_, data) => data,
  hmac: (_, key) => key,
  zone: 'UTC',
};
