import type { Project, Service } from '../core/chain/project.ts';
import { nameOfPlaceholder } from './placeholders.ts';

/** What an import gives: a step, and what the project and the chain need for it. Lines are not indented. */
export interface Draft {
  /** Begins with `- call:`. */
  readonly step: string[];
  readonly inputs: Map<string, string[]>;
  readonly services: Map<string, string[]>;
  readonly credentials: Map<string, string[]>;
  readonly secrets: Map<string, DraftSecret>;
  readonly notes: string[];
  /** What the chain gives, by name. */
  readonly results?: Map<string, string[]>;
}

/** A draft with nothing in it yet. */
export function emptyDraft(): Draft {
  return {
    step: [],
    inputs: new Map(),
    services: new Map(),
    credentials: new Map(),
    secrets: new Map(),
    notes: [],
  };
}

/** A chain that an import gives: what it is called, a word for its file, and what goes into it. */
export interface ChainDraft {
  readonly title: string;
  readonly word: string;
  readonly draft: Draft;
}

export interface DraftSecret {
  /** `env NAME`, or `locked`. */
  readonly source: string;
  /** The key itself, where the documentation passed it; it is stored, and shown nowhere. */
  readonly value?: string;
}

/** The service of a project at which a URL lies, and the path there. */
export function serviceAt(project: Project, url: string): { service: Service; path: string } | undefined {
  for (const service of project.services.values()) {
    if (service.url === 'practice') continue;
    const [only] = service.url.parts;
    if (service.url.parts.length !== 1 || typeof only !== 'string') continue;
    const base = only.replace(/\/+$/, '');
    if (url === base || (url.startsWith(base) && /^[/?]/.test(url.slice(base.length)))) {
      const path = url.slice(base.length);
      return { service, path: path.startsWith('/') ? path : `/${path}` };
    }
  }
  return undefined;
}

/** A name that the project has not given yet. */
export function freeName(words: string, taken: { has(name: string): boolean }): string {
  const name = nameOfPlaceholder(words);
  if (!taken.has(name)) return name;
  for (let i = 2; ; i++) if (!taken.has(`${name}_${i}`)) return `${name}_${i}`;
}

/** What a host is called: `api.emberfold.example` is emberfold. */
export function hostWord(host: string): string {
  const plain = host.replace(/:\d+$/, '').toLowerCase();
  if (/^(?:localhost|127(?:\.\d+){3}|\[::1\])$/.test(plain)) return 'local';
  const labels = plain.split('.').filter((label) => !/^(?:www|api|rest|gateway|v\d+)$/.test(label));
  const word = labels.length > 1 ? labels.at(-2)! : (labels[0] ?? plain);
  // co.example, com.example: the label before is the name.
  return /^(?:co|com|org|net|gov|ac)$/.test(word) && labels.length > 2 ? labels.at(-3)! : word;
}
