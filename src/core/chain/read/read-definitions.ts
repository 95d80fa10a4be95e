import { functions } from '../../language/functions/index.ts';
import { ANY, maybe } from '../../language/kinds.ts';
import { isReservedWord } from '../../language/reserved-words.ts';
import type { StaticName, StaticScope } from '../../language/scope.ts';
import type { OwnFunction } from '../../language/tree.ts';
import type { FieldReader } from '../fields/fields.ts';
import type { MapEntry, ScalarNode, SourceNode } from '../source/source-file.ts';

/** `gross(price)`, `between(a, b, x)` */
const HEAD =
  /^([A-Za-z][A-Za-z0-9_]*)\(\s*((?:[A-Za-z][A-Za-z0-9_]*(?:\s*,\s*[A-Za-z][A-Za-z0-9_]*)*)?)\s*\)$/;

/**
 * Reads `define`: expressions with names for their arguments. Each may use those above it, so that there is no circle, and
 * besides its arguments what `given` has. Those of the project are `before`.
 */
export function readDefinitions(
  fields: FieldReader,
  node: SourceNode | undefined,
  given: (name: string) => StaticName | undefined,
  before: ReadonlyMap<string, OwnFunction> = new Map(),
): ReadonlyMap<string, OwnFunction> {
  const known = new Map(before);
  for (const entry of node?.type === 'map' ? node.entries : []) {
    const head = readHead(fields, entry.key, known);
    if (!head) continue;
    const own = readDefinition(fields, entry, head, { given, known });
    if (own) known.set(head.name, own);
  }
  return known;
}

interface Head {
  readonly name: string;
  readonly parameters: readonly string[];
}

function readHead(
  { findings }: FieldReader,
  key: ScalarNode,
  known: ReadonlyMap<string, OwnFunction>,
): Head | undefined {
  const [, name, list = ''] = HEAD.exec(key.text) ?? [];
  if (name === undefined) {
    const word = /^[A-Za-z]\w*/.exec(key.text)?.[0] ?? 'gross';
    findings.problem(
      key,
      'name-invalid',
      `${key.text} does not name a definition and its arguments`,
      `${word}(value): an expression with value`,
    );
    return undefined;
  }
  const parameters = list === '' ? [] : list.split(/\s*,\s*/);
  const twice = parameters.find((one, i) => parameters.indexOf(one) !== i);
  const word = [name, ...parameters].find(isReservedWord);
  const other = known.get(name);
  if (functions.has(name) || other || twice !== undefined || word !== undefined) {
    const message = functions.has(name)
      ? `${name} is a function of the language`
      : other
        ? `${name} is defined already (${other.place})`
        : twice === undefined
          ? `${word} is a word of the language`
          : `two arguments are called ${twice}`;
    findings.problem(key, 'name-twice', message, 'use another name');
    return undefined;
  }
  return { name, parameters };
}

function readDefinition(
  fields: FieldReader,
  { value }: MapEntry,
  { name, parameters }: Head,
  {
    given,
    known,
  }: {
    readonly given: (name: string) => StaticName | undefined;
    readonly known: ReadonlyMap<string, OwnFunction>;
  },
): OwnFunction | undefined {
  const scope: StaticScope = {
    lookup: (one) => (parameters.includes(one) ? { kind: maybe(ANY) } : given(one)),
    names: () => parameters,
    functions: known,
    response: {
      missing: '$ is the response of a step, and a definition knows only its arguments',
      hint: `${name}($) where it is used, and an argument here`,
    },
    whyNot: (one) => ({
      message: `${one} is neither an argument of ${name} nor a value of the project`,
      hint: `${name}(${[...parameters, one].join(', ')})`,
    }),
  };
  const placed = fields.expression(value, scope, { mayBeNothing: true });
  if (!placed) return undefined;
  const { kind, secret, text, tree } = placed.expression;
  const { file, line } = fields.findings.place(value);
  return { name, parameters, tree, text, kind, secret, place: `${file}:${line}` };
}
