import type { DescribedParameter, Description, Operation } from '../../core/contract/description.ts';
import { partsOf, pathOfServer } from '../../core/contract/find-operation.ts';
import { sampleOf } from '../../core/contract/sample.ts';
import { resolved, type SchemaObject } from '../../core/contract/json-schema.ts';
import { parseJson } from '../../core/language/json.ts';
import type { Value } from '../../core/language/values.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { asTemplate, entry, key, scalar } from '../yaml-text.ts';

/** Where the step of an operation goes. */
export interface StepTarget {
  /** The name of the service. */
  readonly service: string;
  /** The path of its URL. */
  readonly base: readonly string[];
  /** The credential that the step names itself. */
  readonly as?: string | undefined;
  /** Names of inputs that are taken, with what they are. */
  readonly inputs: Map<string, string[]>;
  /** Names of steps that are taken. */
  readonly names: Set<string>;
}

/** Writes the step for an operation: what it requires as inputs, an example body, and the status that is described. */
export function operationStep(
  description: Description,
  operation: Operation,
  target: StepTarget,
): { readonly lines: string[]; readonly notes: string[] } {
  const { head } = operation;
  const notes: string[] = [];
  const name = freeStepName(operation, target.names);
  const required = operation.parameters.filter((one) => one.required);
  const input = (one: DescribedParameter): string =>
    inputFor(description, one, target.inputs, nameFor(one, head.path));
  const path = pathOf(description, operation, target.base).replace(
    /\{([^{}]*)\}/g,
    (_, parameter: string) => {
      const one = operation.parameters.find(
        ({ in: where, name: other }) => where === 'path' && other === parameter,
      );
      return `\${${one ? input(one) : inputFor(description, undefined, target.inputs, nameOfPlaceholder(parameter))}}`;
    },
  );
  const query = required.filter((one) => one.in === 'query');
  const headers = required.filter(
    (one) => one.in === 'header' && !/^(?:accept|content-type|authorization)$/i.test(one.name),
  );
  const body = bodyLines(description, operation, notes);
  for (const { in: where, name: other } of required)
    if (where === 'cookie' || where === 'querystring')
      notes.push(`the ${where} ${other} of ${head.method} ${head.path}`);
  const expect = expectOf(operation);
  return {
    lines: [
      `- call: ${scalar(`${head.method} ${target.service} ${path}`)}`,
      `  name: ${name}`,
      ...(target.as === undefined ? [] : [`  as: ${target.as}`]),
      ...map(
        'query',
        query.map((one) => `${key(one.name)}: \${${input(one)}}`),
      ),
      ...map(
        'headers',
        headers.map((one) => `${key(one.name)}: \${${input(one)}}`),
      ),
      ...body.map((line) => `  ${line}`),
      ...(expect === undefined ? [] : [`  expect: ${expect}`]),
    ],
    notes,
  };
}

function map(name: string, lines: readonly string[]): string[] {
  return lines.length === 0 ? [] : [`  ${name}:`, ...lines.map((line) => `    ${line}`)];
}

/** The path of an operation behind the URL of its service. */
export function pathOf({ servers }: Description, { head }: Operation, base: readonly string[]): string {
  const whole = [...partsOf(pathOfServer(servers[0] ?? '')), ...partsOf(head.path)];
  const isBelow = base.length > 0 && base.every((part, i) => whole[i] === part);
  const end = head.path.length > 1 && head.path.endsWith('/') ? '/' : '';
  return isBelow ? `/${whole.slice(base.length).join('/')}${end}` : head.path;
}

function freeStepName({ head: { id, method, path } }: Operation, names: Set<string>): string {
  const words = nameOfPlaceholder(id ?? `${method} ${path.replace(/\{[^{}]*\}/g, '')}`).slice(0, 60);
  let name = words;
  for (let i = 2; names.has(name); i++) name = `${words}_${i}`;
  names.add(name);
  return name;
}

/** What the input for a parameter is called: of one that is only an id, what it is the id of stands before it. */
function nameFor({ name, in: where }: DescribedParameter, path: string): string {
  if (where !== 'path' || !/^(?:id|uuid|key|name|slug|code)$/i.test(name)) return nameOfPlaceholder(name);
  const before = path.split('/').find((_, i, parts) => parts[i + 1] === `{${name}}`);
  if (before === undefined || before === '' || before.includes('{')) return nameOfPlaceholder(name);
  const one = before
    .replace(/ies$/, 'y')
    .replace(/(ss|sh|ch|x)es$/, '$1')
    .replace(/([^s])s$/, '$1');
  return nameOfPlaceholder(`${one}_${name}`);
}

/** Names that an input can't have. */
const RESERVED =
  /^(?:run|index|response|steps|status|headers|body|text|type|size|elapsed|attempts|cookies|url|sent|secret|services|environment|page|gathered)$/;

/** An input of the right kind for a parameter; one that is there already, if it is the same. */
function inputFor(
  description: Description,
  parameter: DescribedParameter | undefined,
  inputs: Map<string, string[]>,
  words: string,
): string {
  const lines = parameter ? inputLines(description, parameter) : ['kind: text'];
  const same = lines.join('\n');
  const first = RESERVED.test(words) ? `${words}_value` : words;
  let name = first;
  for (let i = 2; inputs.has(name) && inputs.get(name)!.join('\n') !== same; i++) name = `${first}_${i}`;
  inputs.set(name, lines);
  return name;
}

function inputLines(description: Description, { about, schema, example }: DescribedParameter): string[] {
  const json = schema ? description.schema(schema, 'request').json : true;
  const part = resolved(json, json);
  const own: SchemaObject = typeof part === 'object' ? part : {};
  const types = [own['type']].flat().filter((type) => type !== 'null');
  const { enum: values } = own;
  const choices = Array.isArray(values) ? values.filter((one) => typeof one === 'string') : [];
  const isChoice = Array.isArray(values) && choices.length > 0 && choices.length === values.length;
  const kind = isChoice
    ? 'choice'
    : types[0] === 'integer' || types[0] === 'number'
      ? 'number'
      : types[0] === 'boolean'
        ? 'yes-no'
        : types[0] === 'array' || types[0] === 'object'
          ? 'json'
          : own['format'] === 'date'
            ? 'date'
            : 'text';
  const value =
    own['default'] ?? example ?? own['example'] ?? (own['examples'] as unknown[] | undefined)?.[0];
  const [sentence] = (about ?? '').split(/\n|(?<=\.) /);
  return [
    `kind: ${kind}`,
    ...(isChoice ? [`choices: [${choices.map((one) => flowScalar(one)).join(', ')}]`] : []),
    ...(value === undefined || kind === 'json' ? [] : entry('default', valueOfJson(value))),
    ...(sentence ? [`about: ${scalar(asTemplate(sentence.trim()))}`] : []),
  ];
}

function flowScalar(text: string): string {
  return /^[A-Za-z_][\w-]*$/.test(text) && !/^(?:null|true|false|yes|no|on|off)$/i.test(text)
    ? text
    : JSON.stringify(text);
}

/** A value of JSON as one of the language. */
function valueOfJson(value: unknown): Value {
  return parseJson(JSON.stringify(value ?? null));
}

function bodyLines(description: Description, { body, head }: Operation, notes: string[]): string[] {
  if (!body || body.content.length === 0) return [];
  const isOf = (test: RegExp) => body.content.find(({ type }) => test.test(type));
  const json = isOf(/[/+]json$/);
  const form = isOf(/^application\/x-www-form-urlencoded$/);
  const multipart = isOf(/^multipart\/form-data$/);
  const content = json ?? form ?? multipart ?? body.content[0]!;
  const made = (): unknown =>
    content.example ??
    (content.schema ? sampleOf(description.schema(content.schema, 'request')) : { text: 'text' });
  if (json) {
    const type = json.type === 'application/json' ? [] : ['headers:', `  Content-Type: ${json.type}`];
    return [
      ...type,
      ...entry('json', valueOfJson(made())).map((line) => line.replace(/^ {2}from:/, '  "from":')),
    ];
  }
  if (form ?? multipart) {
    const value = made();
    const members = typeof value === 'object' && value !== null ? Object.entries(value) : [];
    const name = form ? 'form' : 'multipart';
    return members.length === 0
      ? []
      : [
          `${name}:`,
          ...members.flatMap(([member, one]) => entry(member, textOf(one)).map((line) => `  ${line}`)),
        ];
  }
  notes.push(`a body of ${content.type} for ${head.method} ${head.path}: text or file on the step`);
  return [];
}

/** What a form holds are texts. */
function textOf(value: unknown): Value {
  return typeof value === 'string'
    ? value
    : typeof value === 'object'
      ? JSON.stringify(value)
      : valueOfJson(value);
}

/** The status that a call should come to. */
export function expectOf({ responses }: Operation): string | undefined {
  const good = responses.map(({ status }) => status).filter((status) => /^2/.test(status));
  if (good.length === 0) return undefined;
  const words = good.map((status) => status.replace('XX', 'xx'));
  return words.length === 1 ? `status == ${words[0]!}` : `status in [${words.join(', ')}]`;
}
