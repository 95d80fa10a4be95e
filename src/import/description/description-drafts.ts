import type { Description, Operation, OperationHead } from '../../core/contract/description.ts';
import { partsOf } from '../../core/contract/find-operation.ts';
import type { Project, Service } from '../../core/chain/project.ts';
import { type Draft, emptyDraft, freeName, hostWord, serviceAt } from '../draft.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { scalar } from '../yaml-text.ts';
import { operationStep } from './operation-step.ts';
import { credentialOf, schemeFor } from './scheme-credential.ts';
import { basePath } from './step-for.ts';

/** Makes drafts of one description, which share its service and credentials. */
export class DescriptionDrafts {
  readonly description: Description;
  readonly #project: Project;
  readonly #path: string;
  readonly #service: Service | undefined;
  readonly #name: string;
  readonly #base: readonly string[];
  /** The scheme that most operations want. */
  readonly #usual: string | undefined;
  /** The names of credentials by those of their schemes. */
  readonly #credentials = new Map<string, string>();

  /** `path` is how the project names the description, `name` what the service is called, where it is new and that is known. */
  constructor(
    description: Description,
    heads: readonly OperationHead[],
    project: Project,
    { path, name }: { readonly path: string; readonly name?: string },
  ) {
    this.description = description;
    this.#project = project;
    this.#path = path;
    const [url = ''] = description.servers;
    const known =
      [...project.services.values()].find(({ description: own }) => own?.from === path) ??
      serviceAt(project, url)?.service;
    this.#service = known;
    const word =
      name ?? (URL.canParse(url) ? hostWord(new URL(url).host) : nameOfPlaceholder(description.title));
    this.#usual = known ? undefined : usualScheme(description, heads);
    this.#name = known?.name ?? freeName(word, { has: (name) => project.services.has(name) });
    this.#base = known ? basePath(known) : URL.canParse(url) ? partsOf(new URL(url).pathname) : [];
  }

  draft(heads: readonly OperationHead[]): Draft {
    const draft = emptyDraft();
    const operations = heads.map((head) => this.description.operation(head));
    const names = new Set<string>();
    for (const operation of operations) {
      const { as, base, name: service } = this.bringService(draft, operation);
      const { inputs } = draft;
      const { lines, notes } = operationStep(this.description, operation, {
        service,
        base,
        inputs,
        names,
        as,
      });
      draft.step.push(...lines);
      draft.notes.push(...notes);
    }
    return draft;
  }

  /** Puts the service into a draft, with the credential that an operation wants; what a step needs to know of both. */
  bringService(
    draft: Draft,
    operation: Operation,
  ): { readonly name: string; readonly base: readonly string[]; readonly as: string | undefined } {
    const usual = this.#usual && this.#credential(draft, this.#usual);
    const as = this.#asOf(draft, operation, usual);
    if (!this.#service && !draft.services.has(this.#name))
      draft.services.set(this.#name, this.#serviceLines(draft, usual));
    return { name: this.#name, base: this.#base, as };
  }

  /** The credential that a step names itself, where it is another than that of the service. */
  #asOf(draft: Draft, operation: Operation, usual: string | undefined): string | undefined {
    // Who signs in at a service that is there is known better there.
    if (this.#service) return undefined;
    const scheme = schemeFor(this.description, operation);
    const needs = operation.security.some((set) => set.length > 0);
    const isFree = operation.security.length === 0 || operation.security.some((set) => set.length === 0);
    if (!scheme) {
      if (needs && !isFree)
        draft.notes.push(
          `who signs in for ${operation.head.method} ${operation.head.path}: ${operation.security
            .flat()
            .map((one) => one.scheme)
            .join(', ')}`,
        );
      return usual === undefined ? undefined : 'nobody';
    }
    const name = this.#credential(draft, scheme.name);
    return name === usual ? undefined : name;
  }

  /** The credential for a scheme, which is made where it is missing. */
  #credential(draft: Draft, schemeName: string): string | undefined {
    const scheme = this.description.schemes.find(({ name }) => name === schemeName)!;
    const { credentials, secrets } = this.#project;
    const name =
      this.#credentials.get(schemeName) ??
      freeName(schemeName, {
        has: (one) => credentials.has(one) || [...this.#credentials.values()].includes(one),
      });
    const made = credentialOf(scheme, name, this.#url());
    if (!made) return undefined;
    this.#credentials.set(schemeName, name);
    draft.credentials.set(name, [...made.lines]);
    for (const secret of made.secrets)
      if (!secrets.has(secret))
        draft.secrets.set(secret, { source: `env ${`${this.#name}_${secret}`.toUpperCase()}` });
    return name;
  }

  /** Where the service lives, as far as the description says it. */
  #url(): string {
    const [url = ''] = this.description.servers;
    return URL.canParse(url) && /^https?:/.test(url)
      ? url.replace(/\/$/, '')
      : 'https://api.emberfold.example';
  }

  #serviceLines(draft: Draft, as: string | undefined): string[] {
    const [url = ''] = this.description.servers;
    const isWhole = URL.canParse(url) && /^https?:/.test(url);
    if (!isWhole)
      draft.notes.push('where the service lives, which the description does not say: write its url');
    return [
      `url: ${scalar(this.#url())}`,
      ...(as === undefined ? [] : [`as: ${as}`]),
      `description: ${scalar(this.#path)}`,
    ];
  }
}

function usualScheme(description: Description, heads: readonly OperationHead[]): string | undefined {
  const counts = new Map<string, number>();
  for (const head of heads) {
    const name = schemeFor(description, description.operation(head))?.name;
    if (name !== undefined) counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return [...counts].toSorted((a, b) => b[1] - a[1])[0]?.[0];
}
