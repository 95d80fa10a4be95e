import { ANY, BIT, type Kind, listOf, objectKind } from '../../language/kinds.ts';
import type { StaticScope } from '../../language/scope.ts';
import { parseExpression } from '../../language/parser.ts';
import { repair, UNREAD } from '../../language/repair.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import { expectationKeys } from '../keys/step-keys.ts';
import type { Expectation, Expressions, Keep, Step, Template } from '../model.ts';
import { type MapNode, type ScalarNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { replacedBy } from '../source/changes.ts';
import { asScalar } from '../source/scalar-text.ts';
import { checkStructure } from '../source/structure.ts';
import { optional } from '../optional.ts';
import { readWrite } from './read-write.ts';
import type { StepReader } from './step-reader.ts';
import { constant } from '../fields/constant-conditions.ts';

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
  const written = valueOf(node, 'expect');
  const statuses = written && statusesOf(written);
  if (written && statuses !== undefined)
    fields.findings.problem(written, 'wrong-form', 'an expectation is a condition', {
      hint: statuses,
      change: replacedBy(written, asScalar(statuses, false)),
    });
  const expectNode = statuses === undefined ? written : undefined;
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
    const one = readKeep(reader, key, value, { scope, expressions });
    if (one) keep.push(one);
  }
  for (const one of late) tried.set(one, readExpectation(reader, one, expressions, true));
  const write = readWrite(reader, node, expressions);
  const showNode = valueOf(node, 'show');
  const show = showNode && fields.template(showNode, expressions, { isValue: 'a name' });
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
  let onlyWarns = false;
  const meant =
    node.type === 'map' && !valueOf(node, 'holds')
      ? (conditionOf(node) ?? conditionCut(fields.findings.file.text, node))
      : undefined;
  if (meant !== undefined) {
    fields.findings.problem(node, 'wrong-form', 'an expectation is a condition', {
      hint: meant,
      change: { range: [node.range[0], endOf(node)], text: asScalar(meant, false) },
    });
    return [];
  }
  if (node.type === 'map') {
    checkStructure(fields.findings, node, expectationKeys, 'an expectation');
    conditionNode = valueOf(node, 'holds');
    const why = valueOf(node, 'because');
    because = why && fields.template(why, scope, { hint: false });
    onlyWarns = fields.literal(valueOf(node, 'else')) === 'warning';
  }
  if (!conditionNode) return [];
  const condition = fields.condition(conditionNode, scope);
  if (condition && constant(condition.expression.tree) !== undefined) {
    fields.findings.warn(
      conditionNode,
      'unreachable',
      `this is always ${String(constant(condition.expression.tree))}, whatever comes`,
    );
  }
  return condition
    ? [
        {
          condition,
          afterKeep,
          ...optional('because', because),
          ...(onlyWarns ? { onlyWarns } : {}),
        },
      ]
    : [];
}

/** The condition that a map such as `{ status: 200 }` was meant as. */
function conditionOf({ entries }: MapNode): string | undefined {
  const parts = entries.map(({ key, value }) => {
    const name = /^(?:status|http|response)?[-_]?code$/i.test(key.text) ? 'status' : key.text;
    if (!/^(?:status|type|size|elapsed|[$][.\w[\]*]+)$/.test(name)) return undefined;
    if (value.type === 'list' && value.items.every(({ type }) => type === 'scalar'))
      return `${name} in [${value.items.map((item) => literalOf(item as ScalarNode)).join(', ')}]`;
    if (value.type !== 'scalar') return undefined;
    return /^(?:[=!<>]=|[<>]|in\b)/.test(value.text)
      ? `${name} ${value.text}`
      : `${name} == ${literalOf(value)}`;
  });
  return parts.includes(undefined) || parts.length === 0 ? undefined : parts.join(' && ');
}

/** A condition that YAML cut at a colon, such as `every(p in $.a: p.b > 1)`, put right. */
function conditionCut(text: string, node: MapNode): string | undefined {
  const [entry, ...more] = node.entries;
  if (!entry || more.length > 0 || /^[\w-]+$/.test(entry.key.text)) return undefined;
  const parses = (one: string): number => {
    try {
      parseExpression(one);
      return 0;
    } catch {
      return UNREAD;
    }
  };
  return repair(text.slice(entry.key.range[0], endOf(node)), parses)?.text;
}

/** Where the last value of a map ends; the map itself ends where the next line begins. */
function endOf(node: SourceNode): number {
  const last = node.type === 'map' && !isFlow(node) ? node.entries.at(-1)?.value.range[1] : undefined;
  return last ?? node.range[1];
}

function isFlow({ entries }: MapNode): boolean {
  return entries[0]?.key.flow === true;
}

/** `[200, 202]`: statuses where conditions stand. */
function statusesOf(node: SourceNode): string | undefined {
  const items = node.type === 'list' ? node.items : [];
  const isStatus = (item: SourceNode): boolean =>
    item.type === 'scalar' && /^[1-5](?:\d\d|xx)$/.test(item.text);
  return items.length > 1 && items.every(isStatus)
    ? `status in [${items.map((item) => (item as ScalarNode).text).join(', ')}]`
    : undefined;
}

function literalOf({ text, quoted }: ScalarNode): string {
  return !quoted && /^(?:-?\d+(?:\.\d+)?(?:ms|s|m)?|[1-5]xx|true|false|null)$/.test(text)
    ? text
    : `'${text}'`;
}

function readKeep(
  reader: StepReader,
  key: ScalarNode,
  node: SourceNode,
  { scope, expressions }: { readonly scope: ChainScope; readonly expressions: StaticScope },
): Keep | undefined {
  const { fields } = reader;
  const valid = fields.name(key);
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
        `the name ${key.text} is already defined on line ${before}`,
        `use another name; names can't be shadowed`,
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
