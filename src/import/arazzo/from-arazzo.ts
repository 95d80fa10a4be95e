import { existsSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import type { OperationHead } from '../../core/contract/description.ts';
import { pointerParts } from '../../core/contract/document.ts';
import type { Project } from '../../core/chain/project.ts';
import { openDescription } from '../../io/description/open-description.ts';
import { DescriptionDrafts } from '../description/description-drafts.ts';
import { pathOf } from '../description/operation-step.ts';
import type { ChainDraft, Draft } from '../draft.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { scalar } from '../yaml-text.ts';
import {
  type ArazzoAction,
  type ArazzoDocument,
  type ArazzoStep,
  type ArazzoWorkflow,
  componentOf,
  readArazzo,
} from './arazzo-document.ts';
import { actionLines } from './arazzo-actions.ts';
import { inputLinesOf } from './arazzo-inputs.ts';
import { bodyOfArazzo, valueLines } from './arazzo-values.ts';
import { conditionOfCriterion, expressionOf } from './runtime-expressions.ts';

/**
 * The workflows of an Arazzo document as chains. What has no equivalent is named in the notes. Throws `import-unreadable`,
 * `file-not-found`, `not-a-description`.
 */
export function importArazzo(
  path: string,
  words: readonly string[],
  project: Project,
  folder: string,
): readonly ChainDraft[] {
  const document = readArazzo(path);
  const wanted = document.workflows.filter(
    ({ workflowId }) => words.length === 0 || words.includes(workflowId),
  );
  const sources = new Sources(document, path, project, folder);
  return wanted.map((workflow) => new WorkflowDraft(document, workflow, sources).made());
}

/** The descriptions that a document names, and the services that they are of. */
class Sources {
  readonly notes: string[] = [];
  readonly #drafts = new Map<string, DescriptionDrafts>();

  constructor({ sourceDescriptions }: ArazzoDocument, path: string, project: Project, folder: string) {
    for (const { name, type = 'openapi', url } of sourceDescriptions) {
      if (type !== 'openapi') {
        this.notes.push(`the source ${name}, which is of type ${type}`);
        continue;
      }
      const file = join(dirname(path), url);
      if (/^[a-z][a-z0-9+.-]*:/i.test(url) || !existsSync(file)) {
        this.notes.push(
          `the description ${name} at ${url}: save it as a file beside the document, and name that as its url`,
        );
        continue;
      }
      const description = openDescription(file, file, dirname(resolve(path)));
      this.#drafts.set(
        name,
        new DescriptionDrafts(description, description.operations, project, {
          path: relative(folder, resolve(file)).replaceAll('\\', '/'),
          name,
        }),
      );
    }
  }

  /** The operation that a step calls, and the service that has it. */
  find(step: ArazzoStep): { readonly drafts: DescriptionDrafts; readonly head: OperationHead } | undefined {
    const { operationId, operationPath } = step;
    if (operationPath !== undefined) {
      const [, name = '', pointer = ''] =
        /^\{?\$sourceDescriptions\.([\w-]+)\.url\}?#(.*)$/.exec(operationPath) ?? [];
      const [, path, method] = pointerParts(pointer);
      return this.#of(name, (head) => head.path === path && head.method === method?.toUpperCase());
    }
    const [, source, id = operationId] =
      /^\$sourceDescriptions\.([\w-]+)\.(.+)$/.exec(operationId ?? '') ?? [];
    return this.#of(source, (head) => head.id === id);
  }

  #of(
    name: string | undefined,
    test: (head: OperationHead) => boolean,
  ): { readonly drafts: DescriptionDrafts; readonly head: OperationHead } | undefined {
    for (const [own, drafts] of this.#drafts) {
      if (name !== undefined && name !== own) continue;
      const head = drafts.description.operations.find(test);
      if (head) return { drafts, head };
    }
    return undefined;
  }
}

class WorkflowDraft {
  readonly #document: ArazzoDocument;
  readonly #workflow: ArazzoWorkflow;
  readonly #sources: Sources;
  readonly #draft: Draft;
  readonly #names: { readonly inputs: Map<string, string>; readonly outputs: Map<string, string> } = {
    inputs: new Map(),
    outputs: new Map(),
  };
  readonly #taken = new Set<string>();

  constructor(document: ArazzoDocument, workflow: ArazzoWorkflow, sources: Sources) {
    this.#document = document;
    this.#workflow = workflow;
    this.#sources = sources;
    this.#draft = {
      step: [],
      inputs: new Map(),
      services: new Map(),
      credentials: new Map(),
      secrets: new Map(),
      notes: [...sources.notes],
      results: new Map(),
    };
  }

  made(): ChainDraft {
    const { dependsOn, outputs, steps, summary, workflowId } = this.#workflow;
    for (const [name, lines] of inputLinesOf(this.#document, this.#workflow, this.#draft.notes)) {
      const own = this.#free(nameOfPlaceholder(name));
      this.#names.inputs.set(name, own);
      this.#draft.inputs.set(own, lines);
    }
    for (const step of steps) this.#step(step);
    for (const other of dependsOn ?? [])
      this.#note(`workflow ${workflowId} depends on ${other}: batharon run runs both`);
    for (const [name, text] of Object.entries(outputs ?? {})) {
      const expression = expressionOf(text, this.#names);
      if (expression === undefined) this.#note(`the output ${name}: ${text}`);
      else this.#draft.results!.set(nameOfPlaceholder(name), [scalar(expression)]);
    }
    return {
      title: summary ?? workflowId,
      word: nameOfPlaceholder(workflowId).replaceAll('_', '-'),
      draft: this.#draft,
    };
  }

  #note(text: string): void {
    this.#draft.notes.push(text);
  }

  #free(words: string): string {
    let name = words;
    for (let i = 2; this.#taken.has(name); i++) name = `${words}_${i}`;
    this.#taken.add(name);
    return name;
  }

  #step(step: ArazzoStep): void {
    const { description, stepId } = step;
    const name = this.#free(nameOfPlaceholder(stepId));
    const lines = step.workflowId === undefined ? this.#call(step) : this.#follow(step);
    if (!lines) return;
    const about = description?.trim().split('\n')[0];
    this.#draft.step.push(
      ...lines.slice(0, 1),
      `  name: ${name}`,
      ...(about ? [`  about: ${scalar(about)}`] : []),
      ...lines.slice(1),
      ...this.#outcome(step, step.workflowId === undefined),
    );
  }

  #call(step: ArazzoStep): string[] | undefined {
    const found = this.#sources.find(step);
    if (!found) {
      this.#note(
        `the step ${step.stepId}: no description has ${step.operationId ?? step.operationPath ?? 'its operation'}`,
      );
      return undefined;
    }
    const { drafts, head } = found;
    const operation = drafts.description.operation(head);
    const service = drafts.bringService(this.#draft, operation);
    const parameters = this.#parameters(step);
    const path = this.#path(pathOf(drafts.description, operation, service.base), parameters, step);
    const at = (where: string): (readonly [string, unknown])[] =>
      parameters.filter((one) => one.in === where).map(({ name, value }) => [name, value] as const);
    const map = (word: string, values: readonly (readonly [string, unknown])[]): string[] => {
      const own = values.flatMap(([name, value]) => {
        const written = valueLines(name, value, this.#names);
        if (!written) this.#note(`${word} ${name} of ${step.stepId}: ${JSON.stringify(value)}`);
        return written ?? [];
      });
      return own.length === 0 ? [] : [`  ${word}:`, ...own.map((line) => `    ${line}`)];
    };
    const cookies = at('cookie');
    return [
      `- call: ${scalar(`${head.method} ${service.name} ${path}`)}`,
      ...(service.as === undefined ? [] : [`  as: ${service.as}`]),
      ...map('query', at('query')),
      ...map('headers', at('header')),
      ...(cookies.length > 0
        ? (this.#note(`cookies of ${step.stepId}: ${cookies.map(([name]) => name).join(', ')}`), [])
        : []),
      ...bodyOfArazzo(step, operation, this.#names, (text) => this.#note(text)).map((line) => `  ${line}`),
    ];
  }

  /** The parameters of a step, and those of its workflow that it does not give itself. */
  #parameters(step: ArazzoStep): { readonly name: string; readonly in: string; readonly value: unknown }[] {
    const all = new Map<string, { name: string; in: string; value: unknown }>();
    for (const one of [...(this.#workflow.parameters ?? []), ...(step.parameters ?? [])]) {
      const shared =
        one.reference === undefined
          ? undefined
          : componentOf(this.#document.components?.parameters, one.reference);
      const name = one.name ?? shared?.name;
      const where = one.in ?? shared?.in ?? 'query';
      if (name === undefined)
        this.#note(`a parameter of ${step.stepId}: ${one.reference ?? 'without a name'}`);
      else all.set(`${where} ${name}`, { name, in: where, value: one.value ?? shared?.value });
    }
    return [...all.values()];
  }

  #path(
    written: string,
    parameters: readonly { readonly name: string; readonly in: string; readonly value: unknown }[],
    { stepId }: ArazzoStep,
  ): string {
    return written.replace(/\{([^{}]*)\}/g, (_, name: string) => {
      const given = parameters.find((one) => one.in === 'path' && one.name === name);
      const [line] = given ? (valueLines('x', given.value, this.#names) ?? []) : [];
      if (line !== undefined) return line.replace(/^x: /, '').replace(/^"(.*)"$/s, '$1');
      this.#note(`the path parameter ${name} of ${stepId}${given ? `: ${JSON.stringify(given.value)}` : ''}`);
      const own = this.#free(nameOfPlaceholder(name));
      this.#draft.inputs.set(own, ['{ about: a part of a path }']);
      return `\${${own}}`;
    });
  }

  /** Another workflow of the same document. */
  #follow(step: ArazzoStep): string[] | undefined {
    const other = this.#document.workflows.find(({ workflowId }) => workflowId === step.workflowId);
    if (!other) {
      this.#note(`the step ${step.stepId}: the workflow ${step.workflowId!} of another document`);
      return undefined;
    }
    const inputs = this.#parameters(step).flatMap(({ name, value }) => {
      const lines = valueLines(nameOfPlaceholder(name), value, this.#names);
      if (!lines) this.#note(`the input ${name} of ${step.stepId}: ${JSON.stringify(value)}`);
      return lines ?? [];
    });
    const file = `${nameOfPlaceholder(other.workflowId).replaceAll('_', '-')}.chain.yaml`;
    return [
      `- follow: ${file}`,
      ...(inputs.length > 0 ? ['  inputs:', ...inputs.map((line) => `    ${line}`)] : []),
    ];
  }

  /** What is expected, kept, and done again. */
  #outcome(step: ArazzoStep, isCall: boolean): string[] {
    const { outputs, stepId, successCriteria } = step;
    const conditions = (successCriteria ?? []).flatMap((one) => {
      const condition = conditionOfCriterion(one, this.#names);
      if (condition === undefined) this.#note(`a criterion of ${stepId}: ${one.condition}`);
      return condition ?? [];
    });
    const kept = Object.entries(outputs ?? {}).flatMap(([name, text]) => {
      const expression = isCall ? expressionOf(text, this.#names) : this.#ofFollowed(text);
      if (expression === undefined) {
        this.#note(`the output ${name} of ${stepId}: ${text}`);
        return [];
      }
      const own = this.#free(nameOfPlaceholder(name));
      this.#names.outputs.set(`${stepId}.${name}`, own);
      return [`    ${own}: ${scalar(expression)}`];
    });
    const shared = (
      actions: readonly ArazzoAction[] | undefined,
      kind: 'failureActions' | 'successActions',
    ) =>
      (actions ?? this.#workflow[kind] ?? []).flatMap((one) =>
        one.reference === undefined
          ? [one]
          : (componentOf(this.#document.components?.[kind], one.reference) ?? []),
      );
    const again = actionLines({
      step,
      conditions,
      names: this.#names,
      onFailure: shared(step.onFailure, 'failureActions'),
      onSuccess: shared(step.onSuccess, 'successActions'),
      isLast: this.#workflow.steps.at(-1) === step,
      note: (text) => this.#note(text),
    });
    const expected = again.polls ? [] : conditions;
    return [
      ...again.lines.map((line) => `  ${line}`),
      ...(expected.length === 0
        ? []
        : expected.length === 1
          ? [`  expect: ${scalar(expected[0]!)}`]
          : ['  expect:', ...expected.map((one) => `    - ${scalar(one)}`)]),
      ...(kept.length > 0 ? ['  keep:', ...kept] : []),
    ];
  }

  /** The output of a workflow that a step follows is a result of that chain. */
  #ofFollowed(text: string): string | undefined {
    const [, name] = /^\$outputs\.([\w-]+)$/.exec(text) ?? [];
    return name === undefined ? expressionOf(text, this.#names) : nameOfPlaceholder(name);
  }
}
