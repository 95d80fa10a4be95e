import type { Project } from '../../core/chain/project.ts';
import { readChain } from '../../core/chain/read-chain.ts';
import type { EventOf, ExitCode } from '../../core/events.ts';
import { fillCredential } from '../../core/engine/authorise.ts';
import { RunContext } from '../../core/engine/context.ts';
import { prepare } from '../../core/engine/prepare.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { watchInterruption } from '../interruption.ts';
import { guarded } from '../guard.ts';
import { loadProject } from '../load.ts';
import { errorTerminal, type Terminal } from '../terminal.ts';
import { type OpenWorld, openWorld } from '../world.ts';
import { reportProblems } from './run.ts';

/** `batharon sign-in [CREDENTIAL]`: gets and tests a token without a chain, and says for what and until when. */
export function signIn(name: string | undefined, options: { env?: string }): Promise<ExitCode> {
  return withCredential(name, options, async (context, credential, terminal) => {
    const filled = fillCredential(context, { as: credential, url: 'https://localhost/' });
    const { kind } = filled.credential;
    if (kind !== 'oauth2') {
      terminal.write(
        `${credential} is of kind ${kind}: nothing is fetched for it, it goes with each request. Its secrets are there.\n`,
      );
      return 0;
    }
    const request = { method: 'GET', url: 'https://localhost/', headers: [] };
    const { signedIn } = await context.ports.credentials.authorise(
      filled,
      request,
      context.interruption.signal,
    );
    terminal.write(
      `${terminal.colours.green('held')}    signed in as ${credential}${scopeWords(signedIn)}${untilWords(signedIn)}.\n`,
    );
    return 0;
  });
}

type SignedIn = Pick<EventOf<'signed-in'>, 'scope' | 'until'> | undefined;

function scopeWords(signedIn: SignedIn): string {
  return signedIn?.scope === undefined ? '' : `, for ${signedIn.scope}`;
}

function untilWords(signedIn: SignedIn): string {
  if (signedIn?.until === undefined) return '';
  return `, until ${new Date(signedIn.until).toISOString().replace(/\.\d+Z$/, 'Z')}`;
}

/** `batharon sign-out [CREDENTIAL]`: forgets what is kept of it. */
export function signOut(name: string | undefined, options: { env?: string }): Promise<ExitCode> {
  return withCredential(name, options, async (context, credential, terminal, world) => {
    await world.ports.credentials.forget(
      fillCredential(context, { as: credential, url: 'https://localhost/' }),
    );
    terminal.write(`What was kept of ${credential} is forgotten.\n`);
    return 0;
  });
}

/** Fetches the secrets of a credential and does something with it. */
function withCredential(
  name: string | undefined,
  options: { env?: string },
  work: (context: RunContext, credential: string, terminal: Terminal, world: OpenWorld) => Promise<ExitCode>,
): Promise<ExitCode> {
  return guarded(async () => {
    const terminal = errorTerminal();
    const loaded = loadProject(options.env, true);
    if (reportProblems(terminal, loaded)) return 2;
    const { project } = loaded;
    const credential = choose(project, name);
    const interruption = watchInterruption(terminal);
    const world = await openWorld(project);
    try {
      // A chain of one request that carries the credential needs the same secrets; it is never sent.
      const text = `chain: sign-in\nsteps:\n  - call: GET https://localhost/\n    as: ${credential}\n`;
      const { chain } = readChain('sign-in', text, project);
      const context = new RunContext(chain!, project, world.ports, {
        id: 'sign-in',
        inputs: {},
        signal: interruption.signal,
        emit: () => undefined,
        signInChains: loaded.signInChains,
        ...(world.practice === undefined ? {} : { practice: world.practice }),
      });
      await prepare(context);
      return await work(context, credential, terminal, world);
    } finally {
      interruption.stop();
      await world.close();
    }
  });
}

function choose({ credentials, services }: Project, name: string | undefined): string {
  const names = [...credentials.keys()];
  if (name !== undefined) {
    if (credentials.has(name)) return name;
    const near = nearest(name, names);
    return fail('unknown-credential', `the project has no credential ${name}`, {
      instead: near ?? (names.length > 0 ? names.join(', ') : 'credentials: in batharon.yaml'),
    });
  }
  const used = [
    ...new Set([...services.values()].flatMap(({ as }) => (as === undefined || as === 'nobody' ? [] : [as]))),
  ];
  const only = names.length === 1 ? names[0] : used.length === 1 ? used[0] : undefined;
  return (
    only ??
    fail(
      'unknown-credential',
      names.length === 0 ? 'the project has no credentials' : 'the project has several credentials',
      {
        instead:
          names.length === 0 ? 'credentials: in batharon.yaml' : `batharon sign-in ${names.join(' | ')}`,
      },
    )
  );
}
