import { saysYes } from '../source/key-definition.ts';
import { rewritten } from '../source/changes.ts';
import { itemBelow } from '../source/meant-value.ts';
import type { StaticScope } from '../../language/scope.ts';
import { ANY, BIT, type Kind, kindWords, LIST, listOf, NUMBER, TEXT, union } from '../../language/kinds.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import { repeatKeys } from '../keys/loop-keys.ts';
import type { EachStep, Gather, Input, RepeatStep, Step } from '../model.ts';
import { optional } from '../optional.ts';
import { kindOfTyped } from '../fields/typed-values.ts';
import { isObject } from '../../language/values.ts';
import { INPUT_VALUE } from './read-inputs.ts';
import { isSecret, kindOfExpressions, readOutcome } from './read-outcome.ts';
import type { StepBase, StepReader } from './step-reader.ts';
import {
  type MapNode,
  type ScalarNode,
  type SourceNode,
  valueOf,
  partOfScalar,
} from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';

type ReadSteps = (reader: StepReader, node: SourceNode, scope: ChainScope, address: string) => Step[];

/** How many iterations a loop may have where it does not say. */
const MOST_ITERATIONS = 100_000;

const EACH_FORM = /^\s*([A-Za-z_]\w*)\s*(?:,\s*([A-Za-z_]\w*)\s*)?\sin\s+/;

/** Reads `each`: `NAME in LIST`, `NAME, i in LIST`, `key, value in OBJECT`. */
export function readEach(
  reader: StepReader,
  node: MapNode,
  base: StepBase,
  { scope, readSteps }: { readonly scope: ChainScope; readonly readSteps: ReadSteps },
): EachStep | undefined {
  const { fields } = reader;
  const { findings } = fields;
  const line = valueOf(node, 'each')!;
  if (line.type !== 'scalar') return undefined; // the form has been looked at
  const [head, first, second] = EACH_FORM.exec(line.text) ?? [];
  if (head === undefined || first === undefined) {
    findings.problem(line, 'wrong-form', 'each is NAME in LIST', {
      change: rewritten(findings.file, line, eachMeantBy(line.text, findings.file.text.slice(line.range[1]))),
    });
    return undefined;
  }
  const listNode = partOfScalar(line, head.length);
  const file = /^\s*(?:[\w.-]*\/)?([A-Za-z_]\w*)\.(?:csv|tsv|jsonl?|ndjson)\s*$/.exec(listNode.text)?.[1];
  if (file !== undefined && !scope.lookup(file)) {
    findings.problem(listNode, 'unknown-name', `a file of rows is read by an input`, {
      example: `inputs:\n  ${file}: { kind: rows, default: ${listNode.text.trim()} }\nsteps:\n  - each: ${head.trim()} ${file}`,
    });
    return undefined;
  }
  const rows = reader.inputs?.find((input) => input.kind === 'rows' && input.name === listNode.text.trim());
  const items = fields.expression(listNode, rows ? rowsScope(scope, rows.name) : scope.outside());
  const kind: Kind = items?.expression.kind ?? ANY;
  if (items && !rows) checkItems(reader, listNode, kind, second !== undefined);

  const { line: at } = findings.place(line);
  const secret = items?.expression.secret === true;
  const inside = scope.branch();
  const [firstKind, secondKind] = rows
    ? [rowKind(reader, rows), NUMBER]
    : iterationKinds(kind, second !== undefined);
  defineName(reader, { ...line, text: first }, inside, {
    kind: firstKind,
    more: { line: at, secret, item: true },
  });
  if (second !== undefined) {
    const from = head.indexOf(second, head.indexOf(',') + 1);
    defineName(reader, { ...partOfScalar(line, from), text: second }, inside, {
      kind: secondKind,
      more: { line: at, secret },
    });
  }
  inside.give('index', NUMBER);
  // Before the steps are read: an iteration is called something before any of them is carried out.
  const titleNode = valueOf(node, 'title');
  const caseTitle = titleNode && fields.template(titleNode, inside.outside());
  const usedHere = new Set(fields.used);
  const steps = readSteps(reader, valueOf(node, 'steps') ?? node, inside, `${base.address}[]`);
  fields.used.clear();
  usedHere.forEach((name) => fields.used.add(name));
  const untilNode = valueOf(node, 'until');
  const until = untilNode && fields.condition(untilNode, inside.outside());
  const gatherNode = valueOf(node, 'gather');
  const gathered = readNamed(reader, gatherNode, inside);
  scope.end(
    inside.added().flatMap(([name, { given }]) => (given ? [] : [name])),
    at,
  );
  if (gatherNode?.type === 'map')
    for (const { key } of gatherNode.entries) {
      const one = gathered.find(({ name }) => name === key.text);
      if (one)
        defineName(reader, key, scope, {
          kind: listOf(kindOfExpressions(one.value)),
          more: {
            line: findings.place(key).line,
            secret: isSecret(one.value),
          },
        });
    }
  const rest = readOutcome(reader, node, scope, scope.outside());
  const setting = (name: string, byDefault: number): EachStep['atOnce'] =>
    fields.amount(valueOf(node, name), scope.outside(), byDefault);
  const atOnce = setting('at-once', 1);
  if ('value' in atOnce && atOnce.value === 0)
    findings.problem(
      valueOf(node, 'at-once')!,
      'wrong-form',
      'with at-once: 0 no iteration would ever begin',
      'at-once: 1',
    );
  if (!items) return undefined;
  return {
    ...base,
    ...rest,
    type: 'each',
    title: base.name ?? `each ${first}`,
    items,
    names: second === undefined ? [first] : [first, second],
    ...optional('rows', rows),
    steps,
    atOnce,
    whenOneFails: fields.literal(valueOf(node, 'when-one-fails')) === 'continue' ? 'continue' : 'stop',
    atLeast: setting('at-least', 0),
    upTo: setting('up-to', MOST_ITERATIONS),
    ...optional('until', until),
    gather: gathered,
    ...optional('caseTitle', caseTitle),
    ...optional('spread', blockSize(fields.literal(valueOf(node, 'spread')))),
    uses: new Set(fields.used),
  };
}

/** How many iterations are given to a worker at a time where only `yes` is said. */
const BLOCK = 100;

function blockSize(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  return /^\d+$/.test(text) ? Number(text) : saysYes(text) ? BLOCK : undefined;
}

/** `NAME in LIST` of another way to say it, or of the list alone. */
function eachMeantBy(text: string, below: string): string {
  const words = text
    .replace(/^\s*(?:for|const|let|var|in|of|over)\s+/, '')
    .replace(/^\((.*)\)$/, '$1')
    .replace(/^\(([^()]*)\)(?=\s)/, '$1');
  const [, first, second, list] =
    /^(\w+)(?:\s*,\s*(\w+))?\s*(?:\bof\b|\bin\b|<-|:|->)\s*(.+)$/.exec(words) ?? [];
  if (first !== undefined) return `${second === undefined ? first : `${first}, ${second}`} in ${list!}`;
  const [, other, name] = /^(.+?)\s+as\s+(\w+)$/.exec(words) ?? [];
  if (other !== undefined) return `${name!} in ${other}`;
  const [, item, items] = /^([A-Za-z_]\w*)\s*,\s*([A-Za-z_]\w*)$/.exec(words) ?? [];
  if (item !== undefined) return `${item} in ${items!}`;
  const last = /([A-Za-z_]\w*)\W*$/.exec(words)?.[1] ?? '';
  const one = last.replace(/ies$/, 'y').replace(/s$/, '');
  return `${one === last || one === '' ? itemBelow(below, 'one') : itemBelow(below, one)} in ${words}`;
}

/** The one place where an input of rows can be named. */
function rowsScope(scope: ChainScope, name: string): StaticScope {
  const outside = scope.outside();
  return { ...outside, lookup: (one) => (one === name ? { kind: LIST } : outside.lookup(one)) };
}

/** What can be known of the list beforehand. */
function checkItems({ fields }: StepReader, node: ScalarNode, kind: Kind, two: boolean): void {
  const wanted = BIT.list | (two ? BIT.object : 0);
  if ((kind.bits & wanted) !== 0) return;
  const object = (kind.bits & BIT.object) !== 0;
  fields.findings.problem(
    node,
    'not-a-list',
    `each goes over a list${two ? ' or an object' : ''}, but this is ${kindWords(kind.bits)}`,
    object ? 'each: key, value in OBJECT' : 'the path of the list itself',
  );
}

/** What is known of a row: its columns, where they are declared, or where the chain has rows of its own. */
function rowKind({ files }: StepReader, { columns, default: byDefault }: Input): Kind {
  const read = (name: string): Kind | undefined => {
    const kind = columns?.get(name);
    return kind && union(INPUT_VALUE[kind], { bits: BIT.null });
  };
  if (byDefault?.type === 'list') {
    const members = new Map<string, Kind>();
    for (const row of byDefault.items) {
      if (row.type !== 'object' && !(row.type === 'value' && isObject(row.value))) return ANY;
      for (const [name, kind] of kindOfTyped(row).members ?? []) {
        const before = members.get(name);
        members.set(name, read(name) ?? (before ? union(before, kind) : kind));
      }
    }
    return { bits: BIT.object, members, closed: true };
  }
  const path =
    byDefault?.type === 'value' && typeof byDefault.value === 'string' ? byDefault.value : undefined;
  const header = path === undefined ? undefined : files?.columns(path);
  if (!header) return ANY;
  return {
    bits: BIT.object,
    members: new Map(header.map((name) => [name, read(name) ?? TEXT])),
    closed: true,
  };
}

/** The kinds of the two names: item and count of a list, key and value of an object. */
function iterationKinds(kind: Kind, two: boolean): [first: Kind, second: Kind] {
  const item = kind.item ?? ANY;
  const mayBeObject = two && (kind.bits & BIT.object) !== 0;
  if (!mayBeObject) return [item, NUMBER];
  return (kind.bits & BIT.list) !== 0 ? [ANY, ANY] : [TEXT, ANY];
}

function defineName(
  reader: StepReader,
  node: ScalarNode,
  scope: ChainScope,
  {
    kind,
    more: { line, ...more },
  }: {
    readonly kind: Kind;
    readonly more: { readonly line: number; readonly secret: boolean; readonly item?: true };
  },
): void {
  if (!reader.fields.name(node)) return;
  const before = scope.define(
    node.text,
    { kind: { ...kind, bits: kind.bits & ~BIT.nothing }, ...more },
    line,
  );
  if (before !== undefined)
    reader.fields.findings.problem(
      node,
      'name-twice',
      `the name ${node.text} is already defined on line ${before}`,
      "use another name; names can't be shadowed",
    );
}

/** A map of names and expressions. */
function readNamed(reader: StepReader, node: SourceNode | undefined, scope: ChainScope): Gather[] {
  if (node?.type !== 'map') return [];
  return node.entries.flatMap(({ key, value }) => {
    const expressions = reader.fields.expressions(value, scope.outside());
    return expressions ? [{ name: key.text, value: expressions, at: reader.fields.findings.place(key) }] : [];
  });
}

/** Reads `repeat`. Names that its steps keep are there after it, with the values of the last iteration. */
export function readRepeat(
  reader: StepReader,
  node: MapNode,
  base: StepBase,
  { scope, readSteps }: { readonly scope: ChainScope; readonly readSteps: ReadSteps },
): RepeatStep | undefined {
  const { fields } = reader;
  const { findings } = fields;
  const settings = valueOf(node, 'repeat')!;
  if (settings.type !== 'map') return undefined; // the form has been looked at
  const map = settings;
  checkStructure(findings, map, repeatKeys, 'repeat');
  const startNode = valueOf(node, 'start');
  const start = readNamed(reader, startNode, scope);
  const every = fields.pause(valueOf(map, 'every'), scope.outside(), { least: 0 });
  const upTo = fields.amount(valueOf(map, 'up-to'), scope.outside(), 50);
  const within = fields.bound(valueOf(map, 'within'), scope.outside(), 3_600_000);
  if (startNode?.type === 'map')
    for (const { key } of startNode.entries) {
      const one = start.find(({ name }) => name === key.text);
      if (one)
        defineName(reader, key, scope, {
          kind: union(kindOfExpressions(one.value), ANY),
          more: {
            line: findings.place(key).line,
            secret: isSecret(one.value),
          },
        });
    }
  const inside = scope.branch();
  inside.give('index', NUMBER);
  inside.keepAnew(start.map(({ name }) => name));
  const usedHere = new Set(fields.used);
  const steps = readSteps(reader, valueOf(node, 'steps') ?? node, inside, `${base.address}[]`);
  fields.used.clear();
  usedHere.forEach((name) => fields.used.add(name));
  const untilNode = valueOf(map, 'until');
  const until = untilNode && fields.condition(untilNode, inside.outside());
  for (const [name, known] of inside.entries())
    if (!known.given && !scope.lookup(name)) scope.set(name, known, known.line);
  scope.lastCall = inside.lastCall ?? scope.lastCall;
  const rest = readOutcome(reader, node, scope, scope.outside());
  return (
    until && {
      ...base,
      ...rest,
      type: 'repeat',
      title: base.name ?? 'repeat',
      steps,
      until,
      upTo,
      every,
      within,
      start,
      uses: new Set(fields.used),
    }
  );
}
