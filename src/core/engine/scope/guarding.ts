import type { Project } from '../../chain/project.ts';
import type { Ports, WireRequest } from '../../ports.ts';
import { visible } from '../../language/show.ts';
import { fail, ProblemError } from '../../problems.ts';
import { isSafe } from '../../methods.ts';

/** Keeps from requests that may change something, as `guard` of the project says. One for a whole run: a person is asked once. */
export class Guarding {
  readonly #project: Project;
  readonly #confirm: Ports['confirm'];
  readonly #mask: (text: string) => string;
  #asked: Promise<boolean | undefined> | undefined;
  /** What the run would send, a line each; set by what knows its chain. */
  ahead: () => readonly string[] = () => [];

  /** `mask` takes secrets out of what a person is asked. */
  constructor(project: Project, confirm: Ports['confirm'], mask: (text: string) => string) {
    this.#project = project;
    this.#mask = mask;
    this.#confirm = confirm;
  }

  /** What is ahead, as far as it can be told: that it can't is no reason not to ask. */
  #told(): readonly string[] {
    try {
      return this.ahead();
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      return [];
    }
  }

  #question(what: string): string {
    const { environment } = this.#project;
    const ahead = this.#told();
    const rows = (ahead.length > 0 ? ahead : [what]).map((row) => `  ${visible(row)}\n`);
    const where = environment ?? 'this project';
    return `${where} is guarded, and this run would send what may change something there:\n${rows.join('')}Send it to ${where}? [y/N] `;
  }

  /** Whether somebody has to be asked, or the request is refused. */
  stops({ method }: WireRequest): boolean {
    return this.#project.guard !== 'none' && !isSafe(method);
  }

  /** The same for requests that other machines will send, as the chain writes them. Throws `guarded`. */
  async allowGiven(written: readonly string[]): Promise<void> {
    const { guard } = this.#project;
    // Where only reads are let through, each machine refuses the others by itself.
    if (guard !== 'ask' || written.length === 0) return;
    await this.#ask(written[0]!);
  }

  /** Resolves where a request that it stops may be sent after all. Throws `guarded`. */
  async allow({ method, url }: WireRequest): Promise<void> {
    const { environment, guard } = this.#project;
    const where = environment === undefined ? 'this project' : `the environment ${environment}`;
    const { origin, pathname } = new URL(url);
    const what = this.#mask(`${method} ${origin}${pathname}`);
    if (guard === 'reads-only')
      fail('guarded', `${where} is guarded (reads-only), so ${what} is not sent`, {
        hint: '--env with another environment, or guard: ask in the project file',
      });
    await this.#ask(what);
  }

  async #ask(what: string): Promise<void> {
    const { environment } = this.#project;
    const where = environment === undefined ? 'this project' : `the environment ${environment}`;
    const answered = await (this.#asked ??=
      this.#confirm?.(this.#question(what)) ?? Promise.resolve(undefined));
    if (answered) return;
    fail(
      'guarded',
      answered === undefined
        ? `${where} is guarded: ask, and there is no terminal to ask at, so ${what} is not sent`
        : `${what} is not sent: that was the response`,
      { hint: '--yes, where it is meant' },
    );
  }
}
