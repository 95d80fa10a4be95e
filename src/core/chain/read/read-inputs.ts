import { replacedBy } from '../source/changes.ts';
import {
  ANY,
  BIT,
  JSON_VALUE,
  type Kind,
  kindOfValue,
  LIST,
  NUMBER,
  TEXT,
  TIME,
  YES_NO,
} from '../../language/kinds.ts';
import type { StaticScope } from '../../language/scope.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import { sentNames } from '../fields/names-elsewhere.ts';
import { inputKeys } from '../keys/chain-keys.ts';
import type { FieldReader } from '../fields/fields.ts';
import { asInput, inputKindFor, readInput } from '../fields/input-values.ts';
import {
  COLUMN_KINDS,
  type ColumnKind,
  type Input,
  INPUT_KINDS,
  type InputKind,
  type Typed,
} from '../model.ts';
import { optional } from '../optional.ts';
import { plainSecret } from '../fields/plain-secrets.ts';
import type { StepReader } from './step-reader.ts';
import { type MapEntry, type ScalarNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { valueMeantBy } from '../source/value-habits.ts';
import { checkStructure } from '../source/structure.ts';
import { kindOfTyped, literalOf } from '../fields/typed-values.ts';

/** What an input of each kind is to an expression. */
export const INPUT_VALUE: Readonly<Record<InputKind, Kind>> = {
  text: TEXT,
  number: NUMBER,
  'yes-no': YES_NO,
  choice: TEXT,
  date: TIME,
  json: JSON_VALUE,
  rows: LIST,
  secret: TEXT,
};

/** The inputs of a chain; each is in the scope for those below it, and for the steps. */
export function readInputs(reader: StepReader, node: SourceNode | undefined, scope: ChainScope): Input[] {
  if (node?.type !== 'map') return [];
  const earlier = new Set<string>();
  return node.entries.flatMap((entry) => {
    const { key } = entry;
    const { fields } = reader;
    if (!fields.name(key)) return [];
    const { line } = fields.findings.place(key);
    const choices = valueOf(entry.value, 'choices');
    const written = fields.literal(valueOf(entry.value, 'kind')) ?? (choices && 'choice');
    const byDefault = readDefault(
      reader,
      entry,
      INPUT_KINDS.find((one) => one === written),
      { earlier, scope },
    );
    const kind = INPUT_KINDS.find((one) => one === written) ?? byDefault.kind ?? 'text';
    const isUnclear = written !== undefined && kind !== written;
    const known = scope.lookup(key.text);
    if (kind === 'rows' && !known) scope.defineRows(key.text, line);
    const value = isUnclear ? ANY : INPUT_VALUE[kind];
    const isNull = byDefault.typed?.type === 'value' && byDefault.typed.value === null;
    const before =
      kind === 'rows' && !known
        ? undefined
        : scope.define(
            key.text,
            { kind: isNull ? { ...value, bits: value.bits | BIT.null } : value, secret: kind === 'secret' },
            line,
          );
    if (before !== undefined) {
      const where = before === 0 ? 'the project file' : `line ${before}`;
      fields.findings.problem(
        key,
        'name-twice',
        `the name ${key.text} is defined in ${where} already`,
        'another name',
      );
      return [];
    }
    earlier.add(key.text);
    return readOneInput(reader, entry, kind, { byDefault: byDefault.typed, scope });
  });
}

function readOneInput(
  { fields, used }: StepReader,
  { key, value }: MapEntry,
  kind: InputKind,
  { byDefault, scope }: { readonly byDefault: Typed | undefined; readonly scope: ChainScope },
): Input[] {
  const { findings } = fields;
  const node = value.type === 'empty' ? undefined : value;
  if (node?.type === 'scalar') {
    findings.problem(node, 'wrong-form', 'an input is a map of keys, but this is a text', {
      change: replacedBy(
        node,
        inputMeantBy(node, findings.file.text.slice(...node.range).replace(/^=\s*/, '')),
      ),
    });
    return [];
  }
  const before = findings.all.length;
  if (node && !checkStructure(findings, node, inputKeys, 'an input')) return [];
  const isSound = findings.all.length === before;
  const choices = choicesOf(node);
  if (kind === 'choice' && !choices && isSound)
    findings.problem(
      key,
      'missing-key',
      `the input ${key.text} is a choice, and has no choices`,
      'choices: [glazed, plain]',
    );
  const choicesNode = node && valueOf(node, 'choices');
  if (choicesNode && kind !== 'choice' && isSound)
    findings.problem(choicesNode, 'wrong-form', `an input of kind ${kind} has no choices`, 'kind: choice');
  const mustNode = node && valueOf(node, 'must');
  fields.used.clear();
  const must = mustNode && fields.condition(mustNode, scope.outside());
  fields.used.forEach((name) => {
    if (name !== key.text) used.add(name);
  });
  const input: Input = {
    name: key.text,
    kind,
    ...optional('about', fields.literal(node && valueOf(node, 'about'))),
    ...optional('choices', choices),
    ...optional('columns', readColumns(fields, node && valueOf(node, 'columns'), kind)),
    ...optional('default', byDefault),
    ...optional('must', must),
    at: findings.place(key),
  };
  return [input];
}

/** `A3`, `number`, `number = 5`: a default, a kind, or both. */
function inputMeantBy(node: ScalarNode, source: string): string {
  const [, word, value] = /^([A-Za-z-]+)(?:\s*=\s*(.+))?$/.exec(node.quoted ? '' : node.text) ?? [];
  const kind =
    word === undefined ? undefined : (INPUT_KINDS.find((one) => one === word) ?? valueMeantBy('kind', word));
  if (kind === undefined) return `{ default: ${source} }`;
  return value === undefined ? `{ kind: ${kind} }` : `{ kind: ${kind}, default: ${value} }`;
}

function choicesOf(node: SourceNode | undefined): readonly string[] | undefined {
  const list = node && valueOf(node, 'choices');
  return list?.type === 'list'
    ? list.items.flatMap((one) => (one.type === 'scalar' ? [one.text] : []))
    : undefined;
}

/** What the columns of rows are read as. */
function readColumns(
  { findings }: FieldReader,
  node: SourceNode | undefined,
  kind: InputKind,
): ReadonlyMap<string, ColumnKind> | undefined {
  if (node?.type !== 'map') return undefined;
  if (kind !== 'rows')
    findings.problem(node, 'wrong-form', `an input of kind ${kind} has no columns`, 'kind: rows');
  return new Map(
    node.entries.flatMap(({ key, value }): [string, ColumnKind][] => {
      const column = COLUMN_KINDS.find((one) => value.type === 'scalar' && one === value.text);
      if (!column)
        findings.problem(
          value,
          'wrong-form',
          `a column is one of ${COLUMN_KINDS.join(', ')}`,
          `${key.text}: number`,
        );
      return column ? [[key.text, column]] : [];
    }),
  );
}

/** The value where none is given, and the kind that it has where none is written. It may use the inputs above it. */
function readDefault(
  { fields, project, used }: StepReader,
  { key, value }: MapEntry,
  written: InputKind | undefined,
  { earlier, scope }: { readonly earlier: ReadonlySet<string>; readonly scope: ChainScope },
): { readonly typed?: Typed; readonly kind?: InputKind } {
  const node = valueOf(value, 'default');
  if (!node) return {};
  const { findings } = fields;
  if (written === 'secret')
    findings.problem(
      node,
      'secret-in-plain-text',
      'a secret has no default in a file',
      'leave it out; --give asks for it',
    );
  else if (node.type === 'scalar') plainSecret(findings, node, key.text);
  // Of a text, what is written is what is meant: a version 1.10 is no number.
  const literal =
    node.type === 'scalar' && written !== undefined && written !== 'json' && !node.text.includes('${');
  if (literal && !(node.text === 'null' && !node.quoted)) {
    const { value: read, problem } = readInput(written, node.text, project.zone, choicesOf(value));
    const choices = choicesOf(value);
    if (problem !== undefined && !(written === 'choice' && !choices))
      findings.problem(
        node,
        'wrong-form',
        problem.message,
        // A hint that is itself a value of the kind is what was meant.
        problem.hint !== undefined &&
          readInput(written, problem.hint, project.zone, choices).value !== undefined
          ? findings.becomes(node, problem.hint)
          : problem.hint,
      );
    return read === undefined ? {} : { typed: { type: 'value', value: read } };
  }
  fields.used.clear();
  const typed = fields.typed(
    node,
    defaultScope(scope, project.values, [...project.services.keys()], earlier),
  );
  fields.used.forEach((name) => used.add(name));
  if (!typed) return {};
  const known = literalOf(typed);
  if (written !== undefined && known !== undefined) {
    const { problem } = asInput({ kind: written }, known, project.zone);
    if (problem)
      findings.problem(
        node,
        'wrong-form',
        node.type === 'scalar' ? problem.message : `a default of kind ${written} is one value`,
        problem.hint ?? 'kind: json for lists and objects',
      );
  }
  return { typed, kind: inputKindFor(known === undefined ? kindOfTyped(typed) : kindOfValue(known)) };
}

/** What a default can use: what there is before a run begins. */
function defaultScope(
  scope: ChainScope,
  values: ReadonlyMap<string, unknown>,
  services: readonly string[],
  earlier: ReadonlySet<string>,
): StaticScope {
  const known = new Set(['environment', 'run', ...values.keys(), ...earlier]);
  const sent = sentNames([], services);
  return {
    lookup: (name) =>
      name === 'services' ? sent.lookup(name) : known.has(name) ? scope.lookup(name) : undefined,
    names: () => ['services', ...known],
    response: { missing: 'a default is computed before anything is sent, so there is no response' },
  };
}
