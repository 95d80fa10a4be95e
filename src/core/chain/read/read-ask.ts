import { ANY, BIT, type Kind, mayBe, NUMBER, TEXT, union, YES_NO } from '../../language/kinds.ts';
import { nameList } from '../../language/nearest.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { isObject, type Value } from '../../language/values.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import { asInput, inputKindFor } from '../fields/input-values.ts';
import { kindOfTyped, literalOf } from '../fields/typed-values.ts';
import { type AskStep, ASKED_KINDS, type Typed } from '../model.ts';
import { optional } from '../optional.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { readOutcome } from './read-outcome.ts';
import type { StepBase, StepReader } from './step-reader.ts';

/** Reads `ask`. Its answer is what the name of the step means to whatever comes after it. */
export function readAsk(
  reader: StepReader,
  node: MapNode,
  base: StepBase,
  scope: ChainScope,
): AskStep | undefined {
  const { fields } = reader;
  const { findings } = fields;
  const line = valueOf(node, 'ask')!;
  const question = fields.template(line, scope.outside());
  if (reader.ending)
    findings.problem(
      line,
      'wrong-form',
      'nobody is asked at the end of a run, where it may have been interrupted',
      'a step above, whose answer this one uses',
    );
  const choicesNode = valueOf(node, 'choices');
  const choices = choicesNode && readChoices(reader, choicesNode, scope);
  const defaultNode = valueOf(node, 'default');
  const byDefault = defaultNode && fields.typed(defaultNode, scope.outside());
  const kind = kindOf(reader, node, { hasChoices: choicesNode !== undefined, byDefault });
  if (defaultNode && byDefault) checkDefault(reader, defaultNode, byDefault, { kind, choices });
  const { name } = base;
  if (name === undefined) {
    if (!valueOf(node, 'name'))
      findings.problem(
        line,
        'missing-key',
        'an answer needs a name, by which later steps use it',
        'name: glaze',
      );
    return undefined;
  }
  const { line: at } = findings.place(valueOf(node, 'name')!);
  const before = scope.define(name, { kind: kindOfAnswer(kind, choices), secret: kind === 'secret' }, at);
  if (before !== undefined)
    findings.problem(
      valueOf(node, 'name')!,
      'name-twice',
      `the name ${name} is already defined on line ${before}`,
      "use another name; names can't be shadowed",
    );
  const mustNode = valueOf(node, 'must');
  const must = mustNode && fields.condition(mustNode, scope.outside());
  const rest = readOutcome(reader, node, scope, scope.outside());
  if (!question) return undefined;
  const uses = new Set(fields.used);
  uses.delete(name);
  return {
    ...base,
    ...rest,
    type: 'ask',
    name,
    title: name,
    question,
    kind,
    ...optional('choices', choices),
    ...optional('default', byDefault),
    ...optional('must', must),
    uses,
  };
}

/** A list or a map as written, else an expression. */
function readChoices({ fields }: StepReader, node: SourceNode, scope: ChainScope): AskStep['choices'] {
  const [only] = node.type === 'list' && node.items.length === 1 ? node.items : [];
  if (only?.type === 'scalar' && !only.quoted && isListName(only.text, scope)) {
    fields.findings.problem(
      node,
      'not-a-list',
      `${only.text} is a list itself, so it has no brackets around it`,
      { change: { range: node.range, text: only.text } },
    );
    return undefined;
  }
  if (node.type !== 'scalar') {
    const typed = fields.typed(node, scope.outside());
    const isEmpty =
      (typed?.type === 'list' && typed.items.length === 0) ||
      (typed?.type === 'object' && typed.members.length === 0);
    if (isEmpty)
      fields.findings.problem(
        node,
        'wrong-form',
        'there is nothing to choose from',
        'choices: [ash, celadon]',
      );
    return typed;
  }
  const expression = fields.expression(node, scope.outside());
  if (expression && (expression.expression.kind.bits & (BIT.list | BIT.object)) === 0) {
    const words = node.text.split(/\s*[,|]\s*/).filter((word) => word !== '');
    fields.findings.problem(
      node,
      'not-a-list',
      'choices are a list, or a map of labels and values',
      words.length > 1 ? `choices: [${words.join(', ')}]` : 'choices: [ash, celadon]',
    );
  }
  return expression;
}

/** Whether a name is known for a list, or for something that may be one and is no text. */
function isListName(text: string, scope: ChainScope): boolean {
  const known = scope.lookup(text);
  return known !== undefined && !known.given && mayBe(known.kind, BIT.list);
}

function kindOf(
  { fields }: StepReader,
  node: MapNode,
  { hasChoices, byDefault }: { readonly hasChoices: boolean; readonly byDefault: Typed | undefined },
): AskStep['kind'] {
  const kindNode = valueOf(node, 'kind');
  const written = ASKED_KINDS.find((one) => one === fields.literal(kindNode));
  if (written === 'choice' && !hasChoices)
    fields.findings.problem(kindNode!, 'missing-key', 'a choice needs choices', 'choices: [ash, celadon]');
  if (written !== undefined && written !== 'choice' && hasChoices)
    fields.findings.problem(
      kindNode!,
      'wrong-form',
      `what is chosen is of the kind of the choices, so kind: ${written} says nothing`,
      'choices without kind',
    );
  if (written !== undefined) return written;
  if (hasChoices) return 'choice';
  const given = byDefault && inputKindFor(kindOfTyped(byDefault));
  return given === 'number' || given === 'yes-no' ? given : 'text';
}

function checkDefault(
  { fields, project }: StepReader,
  node: SourceNode,
  byDefault: Typed,
  { kind, choices }: { readonly kind: AskStep['kind']; readonly choices: AskStep['choices'] },
): void {
  const { findings } = fields;
  if (kind === 'secret') {
    findings.problem(node, 'secret-in-plain-text', 'a secret has no default in a file', 'leave it out');
    return;
  }
  const value = literalOf(byDefault);
  if (value === undefined) return;
  if (kind !== 'choice') {
    const { problem } = asInput({ kind }, value, project.zone);
    if (problem) findings.problem(node, 'wrong-form', problem.message, problem.hint);
    return;
  }
  const known = choices && 'type' in choices ? literalOf(choices) : undefined;
  if (known === undefined) return;
  const offered = optionsOf(known);
  if (offered && !offered.some((one) => isMeant(one, value)))
    findings.problem(
      node,
      'wrong-form',
      `${plainText(value) ?? 'the default'} is none of the choices`,
      nameList(
        offered.map(({ label }) => label),
        10,
      ),
    );
}

/** One of the choices: what is shown, and what the answer is. */
export interface ChoiceOption {
  readonly label: string;
  readonly value: Value;
}

/** The choices that a list or an object offers; undefined where it is neither, or an item of a list can't be shown on a line. */
export function optionsOf(value: Value): ChoiceOption[] | undefined {
  if (Array.isArray(value)) {
    const labels = value.map((item) => plainText(item));
    return labels.includes(undefined)
      ? undefined
      : value.map((item, i): ChoiceOption => ({ label: labels[i]!, value: item }));
  }
  return isObject(value) ? Object.entries(value).map(([label, one]) => ({ label, value: one })) : undefined;
}

/** Whether a choice is meant by its label, or by its value. */
export function isMeant({ label, value }: ChoiceOption, meant: Value): boolean {
  const text = plainText(meant);
  return text !== undefined && (label === text || plainText(value) === text);
}

function kindOfAnswer(kind: AskStep['kind'], choices: AskStep['choices']): Kind {
  if (kind === 'number') return NUMBER;
  if (kind === 'yes-no') return YES_NO;
  if (kind !== 'choice') return TEXT;
  if (!choices || !('type' in choices)) return choices?.expression.kind.item ?? ANY;
  if (choices.type === 'list' && choices.items.length > 0)
    return choices.items.map(kindOfTyped).reduce(union);
  if (choices.type === 'object' && choices.members.length > 0)
    return choices.members.map(([, member]) => kindOfTyped(member)).reduce(union);
  return ANY;
}
