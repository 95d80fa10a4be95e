import { parseJson } from '../../core/language/json.ts';
import { entry, scalar } from '../yaml-text.ts';
import { type ArazzoDocument, type ArazzoWorkflow, componentOf } from './arazzo-document.ts';

interface Property {
  readonly type?: unknown;
  readonly enum?: unknown;
  readonly default?: unknown;
  readonly description?: unknown;
  readonly format?: unknown;
}

/** The inputs of a workflow, by their names in the document. */
export function* inputLinesOf(
  { components }: ArazzoDocument,
  { inputs, workflowId }: ArazzoWorkflow,
  notes: string[],
): Generator<[name: string, lines: string[]]> {
  const written = inputs as
    { readonly $ref?: unknown; readonly reference?: unknown; readonly properties?: unknown } | undefined;
  const reference = written?.reference ?? written?.$ref;
  const name =
    typeof reference === 'string'
      ? reference.replace(/^#\/components\/inputs\//, '$components.inputs.')
      : undefined;
  const schema = (name === undefined ? written : componentOf(components?.inputs, name)) as
    { readonly properties?: Readonly<Record<string, Property>> } | undefined;
  if (name !== undefined && !schema) notes.push(`the inputs of ${workflowId}: ${String(reference)}`);
  for (const [input, property] of Object.entries(schema?.properties ?? {})) yield [input, linesOf(property)];
}

function linesOf(property: Property): string[] {
  const { default: byDefault, description, enum: values, format, type } = property;
  const choices =
    Array.isArray(values) && values.every((one) => typeof one === 'string') ? values : undefined;
  const kind = choices
    ? 'choice'
    : type === 'integer' || type === 'number'
      ? 'number'
      : type === 'boolean'
        ? 'yes-no'
        : type === 'array' || type === 'object'
          ? 'json'
          : format === 'password'
            ? 'secret'
            : format === 'date'
              ? 'date'
              : 'text';
  const about = typeof description === 'string' ? description.trim().split('\n')[0] : undefined;
  return [
    `kind: ${kind}`,
    ...(choices ? [`choices: [${choices.map((one) => JSON.stringify(one)).join(', ')}]`] : []),
    ...(byDefault === undefined ? [] : entry('default', parseJson(JSON.stringify(byDefault)))),
    ...(about ? [`about: ${scalar(about)}`] : []),
  ];
}
