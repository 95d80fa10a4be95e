import { readFile } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import type { Project, SecretSource } from '../core/chain/model.ts';
import type { Secrets } from '../core/ports.ts';
import { fail } from '../core/problems.ts';

/** Fetches the secrets of a project from where its file says they are. */
export class ProjectSecrets implements Secrets {
  readonly #project: Project;
  readonly #variables: NodeJS.ProcessEnv;

  constructor(project: Project, variables: NodeJS.ProcessEnv) {
    this.#project = project;
    this.#variables = variables;
  }

  async get(name: string): Promise<string> {
    const source = this.#project.secrets.get(name)!;
    return source.from === 'env' ? this.#fromVariable(source) : this.#fromFile(source);
  }

  #fromVariable({ name, where, at }: SecretSource): string {
    const value = this.#variables[where];
    if (value !== undefined && value !== '') return value;
    return fail(
      'secret-missing',
      `the secret ${name} comes from the variable ${where}, which is ${value === '' ? 'empty' : 'not set'}`,
      {
        place: at,
        instead: `${where}=… batharon run …, or export ${where} first`,
      },
    );
  }

  async #fromFile({ name, where, at }: SecretSource): Promise<string> {
    const path = resolve(
      dirname(this.#project.file!),
      where.replace(/^~(?=\/)/, this.#variables.HOME ?? '~'),
    );
    try {
      // An editor ends a file with a line break that is no part of the secret.
      const value = (await readFile(path, 'utf8')).replace(/\r?\n$/, '');
      if (value !== '') return value;
    } catch (error) {
      const reason =
        (error as NodeJS.ErrnoException).code === 'ENOENT'
          ? 'does not exist'
          : `can’t be read: ${(error as Error).message}`;
      return fail('secret-missing', `the secret ${name} comes from the file ${path}, which ${reason}`, {
        place: at,
      });
    }
    return fail('secret-missing', `the secret ${name} comes from the file ${path}, which is empty`, {
      place: at,
    });
  }
}
