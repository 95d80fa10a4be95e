import { createHash } from 'node:crypto';
import { lstatSync, mkdirSync, realpathSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import type { Project, SecretSource } from '../../core/chain/project.ts';
import { fail } from '../../core/problems.ts';
import { configurationFolder } from './own-folder.ts';

/** Where the word of the person comes from. */
export interface TrustWorld {
  readonly variables: NodeJS.ProcessEnv;
  /** Asks a question that is answered with yes or no; undefined if nobody is there. */
  readonly confirm?: (question: string) => Promise<boolean | undefined>;
}

/** How a build server, or whoever has looked at the files, says that a project is trusted. */
const HOW = '--trust, or BATHARON_TRUST=1, once you have looked at the project file';

/**
 * Whether a project file may have its way with this machine. A file can come from anywhere, and says which commands are run and which files
 * outside its folder are read for secrets: before the first time a person is asked, and the response is kept outside the project, for just these
 * lines in just this place.
 */
export class Trust {
  readonly #project: Project;
  readonly #world: TrustWorld;
  #asked: Promise<void> | undefined;

  constructor(project: Project, world: TrustWorld) {
    this.#project = project;
    this.#world = world;
  }

  get #isGiven(): boolean {
    const { BATHARON_TRUST: word = '' } = this.#world.variables;
    return word !== '' && word !== '0';
  }

  /** Throws `not-trusted` where other users of the machine may write the project file. */
  refuseForeign(): void {
    const { file } = this.#project;
    if (file === undefined || this.#isGiven) return;
    const whole = resolve(file);
    const why = foreign(whole) ?? foreign(dirname(whole));
    if (why !== undefined)
      fail('not-trusted', `${why}, so the project file ${file} may not be yours`, { hint: HOW });
  }

  /** Throws `not-trusted` where a secret is fetched in a way that nobody has agreed to. */
  allow(source: SecretSource): Promise<void> {
    if (!this.needsWord(source) || this.#isGiven) return Promise.resolve();
    return (this.#asked ??= this.#ask());
  }

  /** Whether a secret comes from a command, or from a file outside the folder of the project. */
  needsWord({ from, where }: SecretSource): boolean {
    if (from === 'command') return true;
    if (from !== 'file') return false;
    if (where.startsWith('~')) return true;
    const folder = this.#folder;
    const inside = relative(folder, real(resolve(folder, where)));
    return inside === '..' || inside.startsWith(`..${sep}`) || resolve(inside) === inside;
  }

  get #folder(): string {
    return real(dirname(resolve(this.#project.file!)));
  }

  async #ask(): Promise<void> {
    const lines = [...this.#project.secrets.values()]
      .filter((source) => this.needsWord(source))
      .map(({ name, from, where }) => `${name}: ${from} ${where}`)
      .sort();
    const digest = createHash('sha256')
      .update(JSON.stringify([this.#folder, lines]))
      .digest('hex');
    const kept = join(configurationFolder(this.#world.variables), 'trusted', digest);
    if (lstatSync(kept, { throwIfNoEntry: false })?.isFile()) return;
    const what = lines.map((line) => `  ${line}`).join('\n');
    const response = await this.#world.confirm?.(
      `${this.#project.file!} has this run, or read from outside its folder, for its secrets:\n${what}\nIs that meant? [yes/no] `,
    );
    if (response !== true)
      fail(
        'not-trusted',
        response === undefined
          ? `${this.#project.file!} runs commands or reads files outside its folder for its secrets, and nobody is there to agree: ${lines.join('; ')}`
          : `${this.#project.file!} is not trusted, so nothing was run and nothing was sent`,
        { hint: HOW },
      );
    try {
      mkdirSync(dirname(kept), { recursive: true, mode: 0o700 });
      writeFileSync(kept, `${this.#folder}\n${lines.join('\n')}\n`, { mode: 0o600 });
    } catch {
      // It is asked again the next time.
    }
  }
}

/** The path without links; of what is not there, as it is written. */
function real(path: string): string {
  try {
    return realpathSync(path);
  } catch {
    return path;
  }
}

/** Why a file or folder may have been written by another user; undefined if it may not. */
function foreign(path: string): string | undefined {
  const user = process.getuid?.();
  if (user === undefined) return undefined;
  const found = statSync(path, { throwIfNoEntry: false });
  if (!found) return undefined;
  const { gid, mode, uid } = found;
  const isFolder = (mode & 0o170000) === 0o040000;
  // In a folder such as /tmp each may take away only what is his own.
  const isSticky = isFolder && (mode & 0o1000) !== 0;
  if (uid !== user && uid !== 0) return `${path} belongs to another user`;
  if ((mode & 0o002) !== 0 && !isSticky) return `every user of this machine may write ${path}`;
  if ((mode & 0o020) !== 0 && gid !== process.getgid!() && gid !== 0 && !isSticky)
    return `other users of this machine may write ${path}`;
  return undefined;
}
