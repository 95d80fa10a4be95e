import { dirname, relative, resolve } from 'node:path';
import { stringify } from 'yaml';
import type {
  CallStep,
  Chain,
  Expressions,
  Input,
  Parameter,
  Step,
  Template,
  Typed,
} from '../core/chain/model.ts';
import type { Project, Service } from '../core/chain/project.ts';
import { PRACTICE_PATH } from '../core/chain/read/described-call.ts';
import { findOperation, partsOf, type PathSegment } from '../core/contract/find-operation.ts';
import { pointerPart } from '../core/contract/document.ts';
import type { OperationHead } from '../core/contract/description.ts';
import { writeJson } from '../core/language/json.ts';
import { runtimeExpressionOf, simpleCondition } from './arazzo-expressions.ts';

/** A chain as an Arazzo document, and what of it has no place there. */
export interface ArazzoExport {
  readonly text: string;
  readonly leftOut: readonly string[];
}

/** Writes a chain as a document of the Arazzo Specification 1.0 (https://spec.openapis.org/arazzo/v1.0.1.html), as far as it goes. */
export function toArazzo(chain: Chain, project: Project): ArazzoExport {
  return new Exporter(chain, project).made();
}

class Exporter {
  readonly #chain: Chain;
  readonly #project: Project;
  readonly #leftOut: string[] = [];
  readonly #names = new Map<string, string>();
  readonly #services = new Map<string, Service>();

  constructor(chain: Chain, project: Project) {
    this.#chain = chain;
    this.#project = project;
  }

  made(): ArazzoExport {
    const { about, cleanup, file, inputs, results, steps, title } = this.#chain;
    for (const { name } of inputs) this.#names.set(name, `$inputs.${name}`);
    const written = steps.flatMap((step) => this.#step(step));
    if (cleanup.length > 0) this.#leftOut.push('the cleanup: a workflow ends with its last step');
    const outputs = results.flatMap(({ name, value }): [string, string][] => {
      const expression = this.#expression(value);
      if (expression === undefined) this.#leftOut.push(`the result ${name}`);
      return expression === undefined ? [] : [[name, expression]];
    });
    const properties = inputs.map((input): [string, object] => [input.name, schemaOf(input)]);
    const document = {
      arazzo: '1.0.1',
      info: { title, ...(about === undefined ? {} : { description: about }), version: '1.0.0' },
      sourceDescriptions: [...this.#services.values()].map((service) => this.#source(service)),
      workflows: [
        {
          workflowId: workflowId(file),
          summary: title,
          ...(properties.length > 0
            ? { inputs: { type: 'object', properties: Object.fromEntries(properties) } }
            : {}),
          steps: written,
          ...(outputs.length > 0 ? { outputs: Object.fromEntries(outputs) } : {}),
        },
      ],
    };
    return { text: stringify(document, { lineWidth: 0 }), leftOut: this.#leftOut };
  }

  /** Where the description of a service is. */
  #source({ description, name }: Service): object {
    if (!description) {
      this.#leftOut.push(
        `the description of ${name}, which the project does not name: description: FILE on the service`,
      );
      return { name, url: `./${name}.openapi.yaml`, type: 'openapi' };
    }
    const { from } = description;
    const file = this.#project.file;
    const path = /^https?:/.test(from)
      ? from
      : relative(dirname(resolve(this.#chain.file)), resolve(dirname(resolve(file ?? '.')), from)).replaceAll(
          '\\',
          '/',
        );
    return { name, url: /^(?:https?:|\.)/.test(path) ? path : `./${path}`, type: 'openapi' };
  }

  #step(step: Step): object[] {
    if (step.type !== 'call') {
      const inner = step.type === 'group' ? step.steps : [];
      if (step.type === 'group' && !step.when) return inner.flatMap((one) => this.#step(one));
      this.#leftOut.push(
        `the step ${step.name ?? step.address}: ${step.type === 'plain' ? 'it sends nothing' : `${step.type} has no equivalent`}`,
      );
      return [];
    }
    return this.#call(step);
  }

  #call(step: CallStep): object[] {
    const id = stepId(step);
    const where = `the step ${step.name ?? step.title}`;
    if (step.target.type !== 'service') {
      this.#leftOut.push(
        `${where}: an operation of a service is wanted, and its address is known only in the run`,
      );
      return [];
    }
    const service = this.#project.services.get(step.target.service)!;
    this.#services.set(service.name, service);
    const segments = segmentsOf(step.target.path);
    const description = this.#project.descriptions?.of(service.name);
    const found =
      description &&
      findOperation(
        description,
        step.method,
        segments.map(({ text }) => text),
        baseOf(service),
      );
    const head = found && 'head' in found ? found.head : undefined;
    if (description && !head)
      this.#leftOut.push(`${where}: ${step.method} is not described there, so its path stands as it is`);
    for (const key of ['when', 'pages', 'callback', 'save', 'write'] as const)
      if (step[key] !== undefined) this.#leftOut.push(`${key} of ${where}`);
    if (step.undo.length > 0) this.#leftOut.push(`undo of ${where}`);
    const parameters = [
      ...this.#pathParameters(segments, head, where),
      ...this.#parameters('query', step.query, where),
      ...step.headers.flatMap(({ name, value, all, leftOut }) => {
        if (all || leftOut) return [];
        const text = this.#template(value);
        if (text === undefined) this.#leftOut.push(`the header ${name} of ${where}`);
        return text === undefined ? [] : [{ name, in: 'header', value: text }];
      }),
    ];
    const body = this.#body(step, where);
    const criteria = this.#criteria(step, where);
    const failure = this.#onFailure(step);
    // What is kept may be used from here on.
    const outputs = step.keep.flatMap(({ name, value }): [string, string][] => {
      const expression = this.#expression(value);
      if (expression === undefined) this.#leftOut.push(`${name}, which ${where} keeps`);
      else this.#names.set(name, `$steps.${id}.outputs.${name}`);
      return expression === undefined ? [] : [[name, expression]];
    });
    return [
      {
        stepId: id,
        ...(step.about === undefined ? {} : { description: step.about }),
        ...this.#operation(head, service, step, segments),
        ...(parameters.length > 0 ? { parameters } : {}),
        ...(body ? { requestBody: body } : {}),
        ...(criteria.length > 0 ? { successCriteria: criteria } : {}),
        ...(failure.length > 0 ? { onFailure: failure } : {}),
        ...(outputs.length > 0 ? { outputs: Object.fromEntries(outputs) } : {}),
      },
    ];
  }

  #operation(
    head: OperationHead | undefined,
    { name }: Service,
    { method }: CallStep,
    segments: readonly Segment[],
  ): object {
    if (head?.id !== undefined)
      return {
        operationId: this.#project.services.size > 1 ? `$sourceDescriptions.${name}.${head.id}` : head.id,
      };
    const path =
      head?.path ?? `/${segments.map(({ text, value }) => text ?? `{${value ?? 'part'}}`).join('/')}`;
    return {
      operationPath: `{$sourceDescriptions.${name}.url}#/paths/${pointerPart(path)}/${method.toLowerCase()}`,
    };
  }

  #pathParameters(segments: readonly Segment[], head: OperationHead | undefined, where: string): object[] {
    const parts = head
      ? partsOf(head.path)
      : segments.map(({ text, value }) => text ?? `{${value ?? 'part'}}`);
    const shift = parts.length - segments.length;
    return parts.flatMap((part, i) => {
      const name = /^\{([^{}]*)\}$/.exec(part)?.[1];
      const segment = segments[i - shift];
      if (name === undefined || !segment) return [];
      const value = segment.text ?? (segment.template && this.#template(segment.template));
      if (value === undefined) this.#leftOut.push(`the path parameter ${name} of ${where}`);
      return value === undefined ? [] : [{ name, in: 'path', value }];
    });
  }

  #parameters(place: string, parameters: readonly Parameter[], where: string): object[] {
    return parameters.flatMap(({ all, name, value }) => {
      const written = all ? undefined : this.#typed(value);
      if (!written) this.#leftOut.push(`${place} ${name === '' ? 'parameters' : name} of ${where}`);
      return written ? [{ name, in: place, value: written.value }] : [];
    });
  }

  #body({ body }: CallStep, where: string): object | undefined {
    if (!body) return undefined;
    if (body.type === 'json') {
      const payload = this.#typed(body.value);
      if (!payload) this.#leftOut.push(`the body of ${where}`);
      return payload && { contentType: 'application/json', payload: payload.value };
    }
    if (body.type === 'form') {
      const fields = body.fields.map(
        ({ all, name, value }) => [name, all ? undefined : this.#typed(value)] as const,
      );
      if (fields.every(([, value]) => value))
        return {
          contentType: 'application/x-www-form-urlencoded',
          payload: Object.fromEntries(fields.map(([name, value]) => [name, value!.value])),
        };
    }
    if (body.type === 'text' || body.type === 'xml') {
      const payload = this.#template(body.text);
      if (payload !== undefined)
        return { contentType: body.type === 'xml' ? 'application/xml' : 'text/plain', payload };
    }
    this.#leftOut.push(`the body of ${where}`);
    return undefined;
  }

  #criteria(step: CallStep, where: string): object[] {
    const conditions = [
      ...step.expect.map(({ condition }) => condition),
      ...(step.poll ? [step.poll.until] : []),
    ];
    const written = conditions.flatMap(({ expression }) => {
      const condition = simpleCondition(expression.tree, this.#names);
      if (condition === undefined) this.#leftOut.push(`expect ${expression.text} of ${where}`);
      return condition === undefined ? [] : [{ condition }];
    });
    // That a status is no error goes without saying in a chain.
    return step.expectsSuccess ? [{ condition: '$statusCode < 400' }, ...written] : written;
  }

  #onFailure({ poll, retry }: CallStep): object[] {
    const seconds = (least: unknown): number => {
      const value = (least as { readonly value?: { readonly milliseconds: number } }).value;
      return value ? value.milliseconds / 1000 : 1;
    };
    if (poll) {
      const within = seconds(poll.within);
      const every = seconds(poll.every.least);
      return [
        {
          name: 'askAgain',
          type: 'retry',
          retryAfter: every,
          retryLimit: Math.max(1, Math.round(within / every)),
        },
      ];
    }
    if (!retry) return [];
    const attempts = 'value' in retry.attempts ? retry.attempts.value : 4;
    const criteria = retry.on
      .filter((one) => /^\d{3}$/.test(one))
      .map((status) => `$statusCode == ${status}`);
    if (retry.on.includes('5xx')) criteria.push('$statusCode >= 500');
    return [
      {
        name: 'tryAgain',
        type: 'retry',
        retryAfter: seconds(retry.wait.least),
        retryLimit: attempts - 1,
        ...(criteria.length > 0 ? { criteria: [{ condition: criteria.join(' || ') }] } : {}),
      },
    ];
  }

  #expression(value: Expressions): string | undefined {
    return value.type === 'expression'
      ? runtimeExpressionOf(value.value.expression.tree, this.#names)
      : undefined;
  }

  /** A text with its insertions as expressions in braces; one alone stands bare. */
  #template({ parts }: Template): string | undefined {
    const written = parts.map((part) =>
      typeof part === 'string' ? part : runtimeExpressionOf(part.expression.tree, this.#names),
    );
    if (written.includes(undefined)) return undefined;
    return parts.length === 1 && typeof parts[0] === 'object'
      ? written[0]
      : written.map((text, i) => (typeof parts[i] === 'string' ? text : `{${text!}}`)).join('');
  }

  /** A typed value as data; undefined where an insertion in it has no equivalent. */
  #typed(typed: Typed): { readonly value: unknown } | undefined {
    switch (typed.type) {
      case 'value':
        return { value: JSON.parse(writeJson(typed.value)) as unknown };
      case 'insertion': {
        const value = runtimeExpressionOf(typed.insertion.expression.tree, this.#names);
        return value === undefined ? undefined : { value };
      }
      case 'template': {
        const value = this.#template(typed.template);
        return value === undefined ? undefined : { value };
      }
      case 'list': {
        const items = typed.items.map((item) => this.#typed(item));
        return items.every((item) => item) ? { value: items.map((item) => item!.value) } : undefined;
      }
      case 'object': {
        const members = typed.members.map(([name, member]) => [name, this.#typed(member)] as const);
        return members.every(([, member]) => member)
          ? { value: Object.fromEntries(members.map(([name, member]) => [name, member!.value])) }
          : undefined;
      }
    }
  }
}

/** A part of a path: a text, or a template with an insertion. */
interface Segment {
  readonly text: PathSegment;
  readonly template?: Template;
  /** The name that is inserted, where it is one alone. */
  readonly value?: string;
}

function segmentsOf({ at, parts }: Template): Segment[] {
  const segments: (string | Exclude<Template['parts'][number], string>)[][] = [[]];
  for (const part of parts) {
    if (typeof part === 'object') {
      segments.at(-1)!.push(part);
      continue;
    }
    const [first, ...more] = part.split(/[?#]/)[0]!.split('/');
    if (first !== '') segments.at(-1)!.push(first!);
    for (const one of more) segments.push(one === '' ? [] : [one]);
  }
  return segments.slice(1).map((own) => {
    if (own.every((part) => typeof part === 'string')) return { text: own.join('') };
    const [only] = own;
    const name =
      own.length === 1 && typeof only === 'object' && only.expression.tree.type === 'name'
        ? only.expression.tree.name
        : undefined;
    return { text: undefined, template: { parts: own, at }, ...(name === undefined ? {} : { value: name }) };
  });
}

function baseOf({ url }: Service): string[] {
  if (url === 'practice') return partsOf(PRACTICE_PATH);
  const [only] = url.parts;
  return url.parts.length === 1 && typeof only === 'string' && URL.canParse(only)
    ? partsOf(new URL(only).pathname)
    : [];
}

function stepId({ address, name }: CallStep): string {
  return (name ?? `step_${address}`).replace(/[^A-Za-z0-9_-]+/g, '_');
}

function workflowId(file: string): string {
  return (file.split('/').at(-1) ?? 'chain').replace(/\.chain\.yaml$/, '').replace(/[^A-Za-z0-9_-]+/g, '_');
}

const TYPES: Readonly<Partial<Record<Input['kind'], object>>> = {
  number: { type: 'number' },
  'yes-no': { type: 'boolean' },
  date: { type: 'string', format: 'date' },
  secret: { type: 'string', format: 'password' },
  json: {},
  rows: { type: 'array', items: { type: 'object' } },
};

function schemaOf({ about, choices, default: byDefault, kind }: Input): object {
  const value = byDefault?.type === 'value' ? (JSON.parse(writeJson(byDefault.value)) as unknown) : undefined;
  return {
    ...(TYPES[kind] ?? { type: 'string' }),
    ...(choices ? { enum: choices } : {}),
    ...(value === undefined ? {} : { default: value }),
    ...(about === undefined ? {} : { description: about }),
  };
}
