import { asInput } from '../../chain/fields/input-values.ts';
import type { Input, Typed } from '../../chain/model.ts';
import { memberOf, objectOf, Time, type Value } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from './context.ts';
import { renderTyped } from './insert.ts';
import { recordedNames } from './recorded-value.ts';

/** Sets what every chain of a run has from the beginning: the values of the project, the environment, and the run. */
export function setValues(context: RunContext): void {
  const { names, options, project } = context;
  if (project.environment !== undefined) names.set('environment', project.environment);
  names.set(
    'run',
    objectOf([
      ['id', options.id],
      ['started', new Time(context.started)],
    ]),
  );
  for (const [name, typed] of project.values) {
    // Computed once: what is drawn by chance is the same in all chains of a run, and when it goes on.
    const known = context.values.get(name) ?? options.past?.values.get(name) ?? options.values?.get(name);
    const value = known ?? rendered(context, typed);
    if (value === undefined) continue;
    context.values.set(name, value);
    names.set(name, value);
  }
}

/**
 * Sets the values of the project, and the inputs of the chain: as given, else what their defaults come to. `before` has what
 * defaults came to when the same chain began. Throws `input-invalid`.
 */
export function setInputs(
  context: RunContext,
  given: Readonly<Record<string, Value>>,
  before?: ReadonlyMap<string, Value>,
): void {
  const { chain, masker, names } = context;
  setValues(context);
  for (const input of chain.inputs) {
    const { kind, name } = input;
    const value = memberOf(given, name) ?? before?.get(name) ?? defaultOf(context, input);
    if (value === undefined) continue;
    const read = readAs(context, input, value);
    if (kind === 'secret' && typeof read === 'string' && !masker.add(read, `secret ${name}`))
      context.tooShort.add(`the secret input ${name}`);
    names.set(name, read);
  }
}

/** The inputs that a chain got from computed defaults, as an event has them. */
export function computedInputs(
  { chain, names }: RunContext,
  given: Readonly<Record<string, Value>>,
): [string, Value][] {
  return chain.inputs.flatMap(({ name, default: byDefault }): [string, Value][] => {
    const value = names.get(name);
    return byDefault &&
      byDefault.type !== 'value' &&
      memberOf(given, name) === undefined &&
      value !== undefined
      ? [[name, value]]
      : [];
  });
}

/** The values of the project that were computed, as an event has them. */
export function computedValues(context: RunContext): ReturnType<typeof recordedNames> {
  return recordedNames(
    context,
    [...context.values].filter(([name]) => context.project.values.get(name)?.type !== 'value'),
  );
}

function readAs(context: RunContext, input: Input, value: Value): Value {
  const { problem, value: read } = asInput(input, value, context.project.zone);
  if (problem === undefined) return read;
  throw new ProblemError({
    code: 'input-invalid',
    message: `the input ${input.name}: ${input.kind === 'secret' ? "it can't be read" : problem.message}`,
    ...(problem.hint === undefined ? {} : { hint: problem.hint }),
    place: input.at,
  });
}

function defaultOf(context: RunContext, { default: byDefault }: Input): Value | undefined {
  return byDefault && rendered(context, byDefault);
}

function rendered(context: RunContext, typed: Typed): Value | undefined {
  if (typed.type === 'value') return typed.value;
  const environment = context.environment(undefined, undefined, (name) =>
    name === 'services' ? context.sentName(name) : undefined,
  );
  return renderTyped(context.inserter(environment), typed);
}

/** Holds inputs to their conditions. Throws `input-invalid`. */
export function checkInputs(context: RunContext): void {
  for (const { must, name, kind } of context.chain.inputs) {
    if (!must) continue;
    const passed = must.expression.test(context.environment(undefined));
    if (passed) continue;
    const came =
      kind === 'secret' ? '' : `, but is ${must.expression.whatCame(context.environment(undefined))}`;
    throw new ProblemError({
      code: 'input-invalid',
      message: `the input ${name} must satisfy ${must.expression.text}${came}`,
      hint: `--give ${name}=…`,
      place: must.at(),
    });
  }
}
