import { MARKUP_FUNCTIONS } from './markup.ts';
import { ProblemError } from '../problems.ts';
import { conversionAdvice } from './advice.ts';
import { wrongDatePattern } from './date-patterns.ts';
import { isZone } from './dates.ts';
import { formatNumber } from './format-number.ts';
import { DIGEST_ALGORITHMS, type Environment } from './environment.ts';
import { kindOf } from './values.ts';
import { type FunctionDefinition, type FunctionParameter, signature } from './functions/define.ts';
import { functions } from './functions/index.ts';
import { habits } from './habits.ts';
import type { Inferring, InferContext, Remedy } from './inferring.ts';
import { ANY, BIT, JSON_VALUE, type Kind, kindWords, maybe, mayBe, YES_NO } from './kinds.ts';
import { countOf } from '../count-of.ts';
import { isReservedWord } from './reserved-words.ts';
import { nearest } from './nearest.ts';
import { patternOf } from './pattern/pattern.ts';
import { type CallTree, givesNodes, isItemPath, type OwnFunction, type Tree } from './tree.ts';

/** The kind of what a function gives; its arguments are checked against its parameters. */
export function inferCall(self: Inferring, tree: CallTree, context: InferContext, outermost: boolean): Kind {
  const own = self.scope.functions?.get(tree.name);
  if (own) return inferOwn(self, tree, own, context);
  const definition = functions.get(tree.name);
  if (!definition) {
    const near = nearest(tree.name, [...functions.keys(), ...(self.scope.functions?.keys() ?? [])]);
    self.problem(
      tree,
      'unknown-function',
      `there is no function ${tree.name}`,
      near === undefined
        ? (habits().find(({ words }) => words.includes(tree.name))?.say ??
            'batharon explain functions lists them')
        : {
            hint: `the nearest is ${nameOf(self, near)}`,
            replace: { span: [tree.span[0], tree.span[0] + tree.name.length], text: near },
          },
    );
    return ANY;
  }
  if ((tree.name === 'raw' || tree.name === 'hidden') && !outermost) {
    const where =
      tree.name === 'raw'
        ? 'as the whole of an insertion into a URL: ${raw(x)}'
        : 'as the whole expression of a name under keep';
    self.problem(tree, 'function-not-here', `${tree.name}(…) can't be used here`, `it stands ${where}`);
  }
  if (tree.name === 'link') self.response(tree);
  if (!hasRightArity(self, tree, definition)) return definition.returns([]);
  const kinds: Kind[] = [];
  tree.arguments.forEach((argument, i) => {
    const parameter = definition.parameters[Math.min(i, definition.parameters.length - 1)]!;
    const inner = i === 0 ? context : withItemName(self, tree, kinds[0], context);
    kinds.push(
      inferArgument(self, argument, parameter, { call: tree, definition, first: kinds[0], context: inner }),
    );
  });
  if (!context.filter) tryConstants(self, tree, definition);
  return definition.returns(kinds);
}

function nameOf(self: Inferring, name: string): string {
  const own = self.scope.functions?.get(name);
  return own ? `${name}(${own.parameters.join(', ')})` : signature(functions.get(name)!);
}

/** A call of what the chain or project defines. */
function inferOwn(self: Inferring, tree: CallTree, own: OwnFunction, context: InferContext): Kind {
  tree.own = own;
  if (own.secret) self.secret = true;
  if (tree.arguments.length !== own.parameters.length)
    self.problem(
      tree,
      'wrong-arguments',
      `${own.name} takes ${countOf(own.parameters.length, 'argument')}, but got ${tree.arguments.length}`,
      nameOf(self, own.name),
    );
  for (const argument of tree.arguments) self.valueKind(argument, { ...context, tolerant: true });
  return maybe(own.kind);
}

/** What the names mean in the arguments after the list: its item has one where it is given. */
function withItemName(
  self: Inferring,
  { itemName, span }: CallTree,
  list: Kind | undefined,
  context: InferContext,
): InferContext {
  if (itemName === undefined) return context;
  const known = self.scope.lookup(itemName);
  if (isReservedWord(itemName) || context.names?.has(itemName) || (known && !known.given))
    self.problem(
      { span: [span[0], span[1]] },
      'name-twice',
      `the name ${itemName} is already defined, so an item can't be called so`,
      "use another name; names can't be shadowed",
    );
  return {
    ...context,
    names: new Map([...(context.names ?? []), [itemName, list?.item ?? JSON_VALUE]]),
  };
}

/** Functions that give the same whenever they are called, and ask nothing of the world. */
const PURE: ReadonlySet<string> = new Set([
  'conversion',
  'number',
  'text',
  'time',
  'web',
  'list',
  'object',
  'standard',
]);

/** Of arguments that are all literals, what the function says is known before it is called. */
function tryConstants(
  self: Inferring,
  tree: CallTree,
  { evaluate, family, parameters }: FunctionDefinition,
): void {
  const values = tree.arguments.flatMap((argument) =>
    argument.type === 'literal' && argument.value !== undefined ? [argument.value] : [],
  );
  const isPlain = parameters.every(({ passing }) => passing === 'value');
  if (
    MARKUP_FUNCTIONS.has(tree.name) ||
    values.length === 0 ||
    values.length < tree.arguments.length ||
    !isPlain ||
    !PURE.has(family)
  )
    return;
  const fits = values.every((value, i) => {
    const { bits } = parameters[Math.min(i, parameters.length - 1)]!;
    return (bits & BIT[kindOf(value)]) !== 0;
  });
  if (fits && !self.problems.some(({ span }) => span && span[0] >= tree.span[0] && span[1] <= tree.span[1]))
    tried(self, tree, () => evaluate(NOWHERE, values));
}

const refuseWorld = (): never => {
  throw new Error('a constant asks nothing of the world');
};

/** Where constants are tried. */
const NOWHERE: Environment = {
  response: undefined,
  name: () => undefined,
  world: { now: refuseWorld, chance: refuseWorld, digest: refuseWorld, hmac: refuseWorld, zone: 'UTC' },
  visited: 0,
};

function hasRightArity(self: Inferring, tree: CallTree, definition: FunctionDefinition): boolean {
  const least = definition.parameters.filter((parameter) => !parameter.optional).length;
  const most = definition.parameters.some((parameter) => parameter.repeats)
    ? Infinity
    : definition.parameters.length;
  const given = tree.arguments.length;
  if (given >= least && given <= most) return true;
  const wanted =
    least === most ? String(least) : most === Infinity ? `${least} or more` : `${least} to ${most}`;
  self.problem(
    tree,
    'wrong-arguments',
    `${tree.name} takes ${wanted} argument${wanted === '1' ? '' : 's'}, but got ${given}`,
    asOneKey(self, tree) ?? signature(definition),
  );
  return false;
}

/** `sort(list, @.a, @.b)`: several keys stand in a list. */
function asOneKey(self: Inferring, { name, span, arguments: given }: CallTree): Remedy {
  if (!/^(?:sort|unique|group)$/.test(name) || given.length < 3) return undefined;
  const [list, ...keys] = given.map((one) => self.source(one));
  const text = `${name}(${list!}, [${keys.join(', ')}])`;
  return { hint: text, replace: { span, text } };
}

function inferArgument(
  self: Inferring,
  tree: Tree,
  parameter: FunctionParameter,
  {
    call,
    definition,
    first,
    context,
  }: {
    readonly call: CallTree;
    readonly definition: FunctionDefinition;
    readonly first: Kind | undefined;
    readonly context: InferContext;
  },
): Kind {
  switch (parameter.passing) {
    case 'nodes':
      return inferNodes(self, tree, { call, definition }, context);
    case 'condition':
      self.condition(tree, { ...context, filter: false });
      return YES_NO;
    case 'test':
      self.condition(tree, { ...context, filter: false, item: first?.item ?? JSON_VALUE, tolerant: false });
      return YES_NO;
    case 'each':
      return self.valueKind(tree, {
        ...context,
        filter: false,
        item: first?.item ?? JSON_VALUE,
        tolerant: false,
      });
    case 'name or path':
      if (isItemPath(tree))
        return self.valueKind(tree, { ...context, item: first ?? JSON_VALUE, tolerant: true });
      break;
    case 'later':
      return self.valueKind(tree, context);
    default:
  }
  if (givesNodes(tree) && context.filter && definition.family === 'standard') {
    self.problem(
      tree,
      'list-in-comparison',
      `${self.source(tree)} may find several values, and ${definition.name} takes one`,
      `count(${self.source(tree)}) says how many`,
    );
  }
  const kind = self.valueKind(tree, {
    ...context,
    tolerant: context.tolerant || parameter.passing === 'maybe',
    // Behind the first, what takes a text is mostly given one that is written out.
    ...(first !== undefined && parameter.bits === BIT.text ? { isCompared: true } : {}),
  });
  if (!mayBe(kind, parameter.bits | BIT.nothing) && !context.filter) {
    self.problem(
      tree,
      'wrong-kind',
      `${definition.name} takes ${kindWords(parameter.bits)} as its ${parameter.name}, but ${self.source(tree)} is ${kindWords(kind.bits)}`,
      spanInWords(definition.name, tree) ?? conversionAdvice(self.source(tree), parameter.bits, kind.bits),
    );
  }
  checkLiteral(self, tree, parameter, first);
  return kind;
}

/** `shift(time, '1 month')`: by how much, as an object. */
function spanInWords(name: string, tree: Tree): Remedy {
  const text =
    name === 'shift' && tree.type === 'literal' && typeof tree.value === 'string' ? tree.value : '';
  const [, count, unit] =
    /^\s*([-+]?\d{1,6})\s*(year|month|week|day|hour|minute|second)s?\s*$/i.exec(text) ?? [];
  if (count === undefined) return undefined;
  const by = `{ ${unit!.toLowerCase()}s: ${Number(count)} }`;
  return { hint: by, replace: { span: tree.span, text: by } };
}

function inferNodes(
  self: Inferring,
  tree: Tree,
  { call, definition }: { readonly call: CallTree; readonly definition: FunctionDefinition },
  context: InferContext,
): Kind {
  const isPath =
    tree.type === 'query' || tree.type === 'response' || tree.type === 'item' || tree.type === 'name';
  if (!isPath) {
    self.problem(
      tree,
      'wrong-kind',
      `${definition.name} takes a path`,
      definition.name === 'count'
        ? {
            hint: `length(${self.source(tree)}) measures a value`,
            replace: { span: call.span, text: `length(${self.source(tree)})` },
          }
        : undefined,
    );
  } else if (definition.name === 'count' && !context.filter && !givesNodes(tree)) {
    self.problem(
      tree,
      'wrong-kind',
      `${self.source(tree)} is one value, and count counts the nodes of a path that may find several`,
      {
        hint: `length(${self.source(tree)}), or count(${self.source(tree)}[*])`,
        replace: { span: call.span, text: `length(${self.source(tree)})` },
      },
    );
  }
  return self.kind(tree, { ...context, tolerant: true });
}

/** Looks at a literal that has a notation of its own: a pattern, a zone… */
function checkLiteral(
  self: Inferring,
  tree: Tree,
  { literal, name }: FunctionParameter,
  first: Kind | undefined,
): void {
  if (literal === undefined || tree.type !== 'literal' || typeof tree.value !== 'string') return;
  const value = tree.value;
  if (literal === 'pattern') {
    tried(self, tree, () => patternOf(value));
  } else if (literal === 'date-pattern') {
    if (value !== 'ms') checkDatePattern(self, tree, value);
  } else if (literal === 'format') {
    const bits = first?.bits ?? 0;
    if (!(bits & BIT.number)) checkDatePattern(self, tree, value);
    else if (!(bits & BIT.time)) tried(self, tree, () => formatNumber(0, value));
  } else if (literal === 'zone') {
    if (!isZone(value))
      self.problem(
        tree,
        'unknown-zone',
        `unknown time zone '${value}'`,
        /^[dMyHhmsaE]{1,5}(?:[./: -]+[dMyHhmsaE]{1,5})+$/.test(value)
          ? `format(time, '${value}') writes a time by a pattern`
          : "use an IANA name, such as 'Europe/Lisbon', or 'UTC'",
      );
  } else {
    const allowed: readonly string[] = literal === 'digest' ? DIGEST_ALGORITHMS : literal.oneOf;
    if (!allowed.includes(value)) {
      const known = nearest(value, allowed);
      const near: Remedy =
        known === undefined
          ? allowed.map((one) => `'${one}'`).join(', ')
          : { hint: known, replace: `'${known}'` };
      self.problem(
        tree,
        literal === 'digest' ? 'unknown-algorithm' : 'wrong-kind',
        `there is no ${name} '${value}'`,
        near,
      );
    }
  }
}

function checkDatePattern(self: Inferring, tree: Tree, pattern: string): void {
  const wrong = wrongDatePattern(pattern);
  if (!wrong) return;
  const { code, message, hint, meant } = wrong;
  self.problem(
    tree,
    code,
    message,
    meant === undefined ? hint : { hint: `'${meant}'`, replace: `'${meant.replaceAll("'", "\\'")}'` },
  );
}

function tried(self: Inferring, tree: Tree, attempt: () => unknown): void {
  try {
    attempt();
  } catch (error) {
    if (!(error instanceof ProblemError)) return; // it needs the world after all
    const { code, message, hint } = error.problem;
    self.problem(tree, code, message, hint);
  }
}
