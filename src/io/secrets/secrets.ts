import { stat } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import type { Project, SecretSource } from '../../core/chain/project.ts';
import type { Secrets } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import type { LockedStore } from './locked-store.ts';
import { readRegularFile } from './own-folder.ts';
import { Trust, type TrustWorld } from './trust.ts';

/** A secret in a file takes no more, in bytes. */
const LARGEST = 16 * 1024 * 1024;

/** How long a command may take to print a secret, in milliseconds. */
const COMMAND_LIMIT = 60_000;

/** Where secrets can come from besides files. */
export interface SecretWorld extends TrustWorld {
  readonly locked?: LockedStore;
  /** Asks the person for a text that is not shown; undefined if nobody is there. */
  readonly ask?: (question: string) => Promise<string | undefined>;
  /** Something that the person should know. */
  readonly warn?: (message: string) => void;
}

/** Fetches the secrets of a project from where its file says they are. */
export class ProjectSecrets implements Secrets {
  readonly #project: Project;
  readonly #world: SecretWorld;
  /** What was asked for is asked for once. */
  readonly #known = new Map<string, Promise<string>>();

  readonly #trust: Trust;

  constructor(project: Project, world: SecretWorld) {
    this.#project = project;
    this.#world = world;
    this.#trust = new Trust(project, world);
  }

  get(name: string): Promise<string> {
    let known = this.#known.get(name);
    if (!known) this.#known.set(name, (known = this.#fetch(this.#project.secrets.get(name)!)));
    return known;
  }

  async #fetch(source: SecretSource): Promise<string> {
    await this.#trust.allow(source);
    switch (source.from) {
      case 'env':
        return this.#fromVariable(source);
      case 'file':
        return this.#fromFile(source);
      case 'command':
        return this.#fromCommand(source);
      case 'ask':
        return this.#fromPerson(source);
      case 'locked':
        return this.#fromStore(source);
    }
  }

  async #fromVariable({ name, where, at }: SecretSource): Promise<string> {
    const value = this.#world.variables[where];
    if (value !== undefined && value !== '') return value;
    return fail(
      'secret-missing',
      `the secret ${name} comes from the variable ${where}, which is ${value === '' ? 'empty' : 'not set'}`,
      { place: at, hint: `export ${where}=…, then the same command again` },
    );
  }

  async #fromFile({ name, where, at }: SecretSource): Promise<string> {
    const path = resolve(
      dirname(this.#project.file!),
      where.replace(/^~(?=\/)/, this.#world.variables.HOME ?? '~'),
    );
    try {
      // An editor ends a file with a line break that is no part of the secret.
      const value = readRegularFile(path, LARGEST)
        .toString('utf8')
        .replace(/\r?\n$/, '');
      const { mode } = await stat(path);
      if (process.platform !== 'win32' && (mode & 0o077) !== 0)
        this.#world.warn?.(`others on this machine may read the secret ${name}: chmod 600 ${path} ends that`);
      if (value !== '') return value;
    } catch (error) {
      const reason =
        (error as NodeJS.ErrnoException).code === 'ENOENT'
          ? 'does not exist'
          : `can't be read: ${(error as Error).message}`;
      return fail('secret-missing', `the secret ${name} comes from the file ${path}, which ${reason}`, {
        place: at,
      });
    }
    return fail('secret-missing', `the secret ${name} comes from the file ${path}, which is empty`, {
      place: at,
    });
  }

  /** Without a shell: words are split at blanks, quotes keep them together. */
  async #fromCommand({ name, where, at }: SecretSource): Promise<string> {
    const [program = '', ...words] = [...where.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map(
      ([, double, single, plain]) => double ?? single ?? plain ?? '',
    );
    const missing = (why: string): ProblemError =>
      new ProblemError({
        code: 'secret-missing',
        message: `the secret ${name} comes from the command ${program}, which ${why}`,
        place: at,
      });
    const { execFile } = await import('node:child_process');
    const output = await new Promise<string>((resolved, reject) => {
      execFile(
        program,
        words,
        { cwd: dirname(resolve(this.#project.file!)), timeout: COMMAND_LIMIT, env: this.#world.variables },
        (error, stdout, stderr) => {
          if (!error) return resolved(stdout);
          if (error.code === 'ENOENT') return reject(missing('does not exist'));
          if (error.killed) return reject(missing(`was not done after ${COMMAND_LIMIT / 1000}s`));
          const said = stderr.trim().split('\n')[0] ?? '';
          reject(missing(`ended with ${String(error.code)}${said === '' ? '' : `: ${said}`}`));
        },
      );
    });
    const value = output.replace(/\r?\n$/, '');
    if (value === '') throw missing('printed nothing');
    return value;
  }

  async #fromPerson({ name, where, at }: SecretSource): Promise<string> {
    const value = await this.#world.ask?.(where === '' ? `${name}: ` : `${where} `);
    if (value !== undefined && value !== '') return value;
    return fail(
      'secret-missing',
      value === ''
        ? `nothing was entered for the secret ${name}`
        : `the secret ${name} is to be typed in, and there is no terminal to ask at`,
      {
        place: at,
        hint: `${name}: env NAME_OF_A_VARIABLE in batharon.yaml, where nobody is there to ask`,
      },
    );
  }

  async #fromStore({ name, where, at }: SecretSource): Promise<string> {
    const { environment } = this.#project;
    const value =
      (environment === undefined ? undefined : this.#world.locked?.secret(where, environment)) ??
      this.#world.locked?.secret(where);
    if (value !== undefined) return value;
    return fail(
      'secret-missing',
      `the secret ${name} is locked, and none is stored under the name ${where}${environment === undefined ? '' : `, for the environment ${environment} or for all`}`,
      {
        place: at,
        hint: `batharon secret set ${where}`,
      },
    );
  }
}
