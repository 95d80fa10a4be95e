import { existsSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import type { Description } from '../core/contract/description.ts';
import type { Descriptions, Project, Service } from '../core/chain/project.ts';
import type { Finding } from '../core/chain/source/finding.ts';
import { ProblemError } from '../core/problems.ts';
import { descriptionReader } from './prepare-descriptions.ts';

/** The descriptions of a project, with what was found when they were read. */
export class ProjectDescriptions implements Descriptions {
  readonly findings: Finding[] = [];
  readonly #project: Project & { readonly file: string };
  readonly #folder: string;
  /** The folder is another one than that of the project. */
  readonly #isElsewhere: boolean;
  readonly #known = new Map<string, Description | undefined>();

  constructor(project: Project & { readonly file: string }, folder?: string) {
    this.#project = project;
    this.#folder = folder ?? dirname(resolve(project.file));
    this.#isElsewhere = folder !== undefined;
  }

  of(name: string): Description | undefined {
    if (!this.#known.has(name)) {
      const service = this.#project.services.get(name);
      this.#known.set(name, service?.description && this.#open(service));
    }
    return this.#known.get(name);
  }

  #open({ name, description }: Service): Description | undefined {
    const { from, at } = description!;
    const kept = isFetched(from) ? descriptionReader().keptDescription(this.#folder, name) : undefined;
    if (isFetched(from) && !kept) {
      this.findings.push({
        level: 'warning',
        code: 'description-missing',
        message: `the description of ${name} has not been fetched yet`,
        hint: `batharon calls ${name} --renew`,
        place: at,
      });
      return undefined;
    }
    const path = kept?.path ?? resolve(this.#folder, from);
    if (kept?.isAltered)
      this.findings.push({
        level: 'warning',
        code: 'description-altered',
        message: `${shortPath(path)} was changed by hand since it was fetched`,
        hint: `batharon calls ${name} --renew fetches it anew`,
        place: at,
      });
    try {
      const opened = descriptionReader().openDescription(
        path,
        this.#isElsewhere ? from : shortPath(path),
        this.#folder,
      );
      const { length } = opened.warnings;
      if (length > 0)
        this.findings.push({
          level: 'warning',
          code: 'description-flawed',
          message: `${length === 1 ? 'one place' : `${length} places`} in ${opened.file} can't be used as written`,
          hint: `batharon calls ${name} --warnings`,
          place: at,
        });
      return opened;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const { code, message, hint, place } = error.problem;
      const where = place ? ` (${place.file}:${place.line}:${place.column})` : '';
      this.findings.push({
        level: 'problem',
        code,
        message: message + where,
        ...(hint === undefined ? {} : { hint }),
        place: at,
      });
      return undefined;
    }
  }
}

/** Those of a project; undefined where no service has one. */
export function descriptionsOf(project: Project, folder?: string): ProjectDescriptions | undefined {
  const { file } = project;
  const isDescribed = [...project.services.values()].some(({ description }) => description);
  return file === undefined || !isDescribed
    ? undefined
    : new ProjectDescriptions({ ...project, file }, folder);
}

/** Whether a description is fetched, and kept beside the project. */
export function isFetched(from: string): boolean {
  return /^https?:/.test(from);
}

function shortPath(path: string): string {
  const short = relative(process.cwd(), path);
  return short.startsWith('..') || !existsSync(path) ? path : short;
}
