import { queryParameters } from '../request/query-parameters.ts';
import type { CallStep, Chain, EachStep, Expressions, PlacedExpression, Step } from '../../chain/model.ts';
import type { Project } from '../../chain/project.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { writeJson } from '../../language/json.ts';
import { childrenOf, namesIn, type Tree } from '../../language/tree.ts';
import { isObject, type Maybe, memberOf, type Value } from '../../language/values.ts';
import type { Ports } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { RunContext } from '../scope/context.ts';
import {
  encodeForm,
  type Inserter,
  renderParameters,
  renderText,
  renderTyped,
  renderXml,
} from '../scope/insert.ts';
import { buildHeaders } from '../request/build-headers.ts';
import { needsOf, servicesAt } from './chain-needs.ts';
import { checkInputs, setInputs, setValues } from '../scope/inputs.ts';
import { fillAddresses } from './prepare.ts';

/** A request as it would be sent, with `‹…›` for what is not known before a run. */
export interface DryRequest {
  readonly step: Step;
  readonly method: string;
  readonly url: string;
  readonly as?: string;
  readonly headers: readonly (readonly [string, string])[];
  readonly body?: string;
  /** Why it may not be sent. */
  readonly when?: string;
  /** How often it is sent, where its loops have as many items as can be told now; once without loops. */
  readonly times?: number;
  /** It takes back what a step did. */
  readonly takesBack?: true;
}

/** What a chain would send, in order, and where its services are; nothing is sent and no secret is read. */
export function dryRun(
  chain: Chain,
  project: Project,
  ports: Ports,
  { inputs, practice }: { readonly inputs: Readonly<Record<string, Value>>; readonly practice: string },
): { readonly requests: readonly DryRequest[]; readonly services: Readonly<Record<string, string>> } {
  const context = new RunContext(chain, project, ports, {
    options: {
      id: '‹run›',
      inputs,
      emit: () => undefined,
      signal: new AbortController().signal,
      practice,
    },
  });
  for (const name of project.secrets.keys()) context.secrets.set(name, `‹secret ${name}›`);
  setValues(context);
  fillAddresses(context);
  const shown = chain.inputs.flatMap(({ kind, name }): [string, Value][] => {
    const value = memberOf(inputs, name);
    return value === undefined ? [] : [[name, kind === 'secret' ? `‹secret ${name}›` : value]];
  });
  setInputs(context, Object.fromEntries(shown));
  return {
    requests: new DryRunner(context).steps([...chain.steps, ...chain.cleanup]),
    services: servicesAt(context).services ?? {},
  };
}

/**
 * Looks at all that can be known before a chain sends anything: whether its secrets are there, and whether its inputs are as
 * they must be. Throws `secret-missing`, `input-invalid`…
 */
export async function lookAhead(
  chain: Chain,
  project: Project,
  ports: Ports,
  {
    inputs,
    signInChains,
    practice,
  }: {
    readonly inputs: Readonly<Record<string, Value>>;
    readonly signInChains: ReadonlyMap<string, Chain>;
    readonly practice: string | undefined;
  },
): Promise<void> {
  const context = new RunContext(chain, project, ports, {
    options: {
      id: '‹run›',
      inputs,
      emit: () => undefined,
      signal: new AbortController().signal,
      ...(practice === undefined ? {} : { practice }),
    },
  });
  for (const name of needsOf(chain, project, signInChains).secrets)
    context.secrets.set(name, await ports.secrets.get(name));
  setValues(context);
  fillAddresses(context);
  setInputs(context, inputs);
  checkInputs(context);
}

/** Where a request stands: under which condition, and in loops of how many iterations, where that can be told. */
interface Around {
  readonly when?: string | undefined;
  readonly times?: number | undefined;
}

/** Walks over steps without carrying them out, with the names that a run has by now, or with marks. */
export class DryRunner {
  readonly #context: RunContext;
  readonly #onlyAddresses: boolean;
  /** What is written for a name that only a run gives. */
  readonly #unknown = new Map<string, string>();

  /** `onlyAddresses`: without header fields and bodies, and with what takes steps back. */
  constructor(context: RunContext, onlyAddresses = false) {
    this.#context = context;
    this.#onlyAddresses = onlyAddresses;
  }

  steps(steps: readonly Step[], around: Around = { times: 1 }): DryRequest[] {
    return steps.flatMap((step) => {
      const when = step.when?.expression.text ?? around.when;
      const own = { ...around, when };
      const requests =
        step.type === 'call'
          ? [this.#request(step, own)]
          : step.type === 'group'
            ? [
                ...this.steps(step.steps, own),
                ...this.steps(step.otherwise ?? [], {
                  ...around,
                  when: when === undefined ? undefined : `!(${when})`,
                }),
              ]
            : this.#inside(step, own);
      for (const { name, value } of step.keep) this.#mark(name, `‹${step.title}: ${textOf(value)}›`);
      if (step.name !== undefined) this.#mark(step.name, `‹${step.name}›`);
      if (this.#onlyAddresses)
        for (const request of this.steps(step.undo, own)) requests.push({ ...request, takesBack: true });
      return requests;
    });
  }

  #mark(name: string, text: string): void {
    if (!this.#context.names.has(name)) this.#unknown.set(name, text);
  }

  /** How many items a loop goes over, where that can be told. */
  #countOf({ items, rows }: EachStep): number | undefined {
    if (rows || [...namesIn(items.expression.tree)].some((name) => this.#unknown.has(name))) return undefined;
    try {
      const value = items.expression.evaluate(this.#context.environment(undefined));
      return Array.isArray(value) ? value.length : isObject(value) ? Object.keys(value).length : undefined;
    } catch (error) {
      if (error instanceof ProblemError) return undefined;
      throw error;
    }
  }

  /** The steps of an iteration, or of a chain that is followed; what only an iteration gives is marked. */
  #inside(step: Step, { when, times }: Around): DryRequest[] {
    const mark = (names: readonly string[], of: string): void => {
      for (const name of names) this.#mark(name, `‹${of}: ${name}›`);
    };
    const more = (text: string, count: number | undefined): Around => ({
      when: when === undefined ? text : `${when}, ${text}`,
      times: times === undefined || count === undefined ? undefined : times * count,
    });
    switch (step.type) {
      case 'each': {
        mark([...step.names, 'index'], step.title);
        const requests = this.steps(
          step.steps,
          more(`for each ${step.names[0]} in ${source(step.items)}`, this.#countOf(step)),
        );
        mark(
          step.gather.map(({ name }) => name),
          step.title,
        );
        return requests;
      }
      case 'repeat':
        mark([...step.start.map(({ name }) => name), 'index'], step.title);
        return this.steps(step.steps, more(`again until ${source(step.until)}`, undefined));
      case 'follow':
        mark(
          step.chain.inputs.map(({ name }) => name),
          step.title,
        );
        return this.steps([...step.chain.steps, ...step.chain.cleanup], { when, times });
      default:
        return [];
    }
  }

  #inserter(): Inserter {
    const environment = this.#context.environment(undefined, undefined, (name) =>
      this.#context.sentName(name),
    );
    return {
      marks: true,
      value: (insertion): Maybe => {
        const { tree, text } = insertion.expression;
        const names = [...namesIn(tree)].filter(
          (name) => this.#unknown.has(name) || name === 'run' || name === 'callback',
        );
        const written = text.slice(...tree.span);
        if (names.length > 0)
          return tree.type === 'name' ? (this.#unknown.get(tree.name) ?? `‹${written}›`) : `‹${written}›`;
        if (usesChance(tree)) return `‹${written}›`;
        return insertion.expression.evaluate(environment);
      },
      nothing: (insertion) => {
        throw new ProblemError({
          code: 'found-nothing',
          message: `${insertion.expression.text} is nothing`,
          place: insertion.at(),
        });
      },
    };
  }

  #request(step: CallStep, { when, times }: Around): DryRequest {
    const inserter = this.#inserter();
    const service =
      step.target.type === 'url' ? undefined : this.#context.project.services.get(step.target.service)!;
    const whole = !this.#onlyAddresses;
    const headers = whole
      ? buildHeaders(inserter, [...(service?.headers ?? []), ...step.headers], () => undefined)
      : [];
    const body = whole ? this.#body(step, inserter) : undefined;
    const url = this.#url(step, inserter);
    const query = queryParameters(url, {
      step,
      shared: service?.query ?? [],
      rendered: (parameters) => renderParameters(inserter, parameters),
    })
      .map(([name, value]) => (name === '' ? value : `${shown(name)}=${shown(value)}`))
      .join('&');
    const as = step.as ?? service?.as;
    return {
      step,
      method: step.method,
      url: query === '' ? url : `${url}${url.includes('?') ? '&' : '?'}${query}`,
      ...(as === undefined || as === 'nobody' ? {} : { as }),
      headers,
      ...(body === undefined ? {} : { body }),
      ...(when === undefined ? {} : { when }),
      // How often a call polls or turns pages is up to the service.
      ...(times === undefined || step.poll || step.pages ? {} : { times }),
    };
  }

  #url({ target }: CallStep, inserter: Inserter): string {
    if (target.type === 'address') return asText(inserter.value(target.address));
    const template = target.type === 'url' ? target.url : target.path;
    const path = template.parts
      .map((part) =>
        typeof part === 'string' ? part : shown(asText(inserter.value(part) ?? inserter.nothing(part))),
      )
      .join('');
    return target.type === 'url' ? path : this.#context.serviceBases.get(target.service)! + path;
  }

  #body({ body }: CallStep, inserter: Inserter): string | undefined {
    if (!body) return undefined;
    if (body.type === 'json') return writeJson(renderTyped(inserter, body.value) ?? null);
    if (body.type === 'form')
      return encodeForm(renderParameters(inserter, body.fields)).replace(/%E2%80%B9.*?%E2%80%BA/g, (part) =>
        decodeURIComponent(part.replaceAll('+', ' ')),
      );
    if (body.type === 'bytes') return `‹the bytes ${body.value.expression.text}›`;
    if (body.type === 'file') return `‹the file ${renderText(inserter, body.path)}›`;
    if (body.type === 'multipart')
      return body.parts
        .map(({ name, content }) =>
          'file' in content
            ? `${name}=‹the file ${renderText(inserter, content.file)}›`
            : !('text' in content)
              ? `${name}=‹${'json' in content ? 'a value' : 'bytes'}›`
              : renderParameters(inserter, [{ name, value: content.text, at: body.at }])
                  .map(([, text]) => `${name}=${text}`)
                  .join('&'),
        )
        .join('&');
    return body.type === 'xml' ? renderXml(inserter, body.text) : renderText(inserter, body.text);
  }
}

function asText(value: Maybe): string {
  return (value === undefined ? undefined : plainText(value)) ?? '‹no text›';
}

/** Known values as they would be encoded; a mark for an unknown one stays readable. */
function shown(text: string): string {
  return /^‹.*›$/s.test(text) ? text : encodeURIComponent(text);
}

function usesChance(tree: Tree): boolean {
  return (
    (tree.type === 'call' && ['uuid', 'random', 'choose', 'now'].includes(tree.name)) ||
    childrenOf(tree).some(usesChance)
  );
}

function textOf(expressions: Expressions): string {
  if (expressions.type === 'expression') return source(expressions.value);
  return expressions.type === 'list' ? '[…]' : '{…}';
}

function source({ expression: { text } }: PlacedExpression): string {
  return text.length > 40 ? `${text.slice(0, 39)}…` : text;
}
