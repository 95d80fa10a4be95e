import { kindOfCredential } from '../../core/chain/keys/credential-keys.ts';
import type { Project } from '../../core/chain/project.ts';
import { readChain } from '../../core/chain/read/read-chain.ts';
import type { EventOf, ExitCode } from '../../core/events.ts';
import { fillCredential } from '../../core/engine/sign-in/authorise.ts';
import { RunContext } from '../../core/engine/scope/context.ts';
import { prepare } from '../../core/engine/run/prepare.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { runRecorded, SENT_FILE } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { errorTerminal, type Terminal } from '../terminal/terminal.ts';
import type { OpenWorld } from '../../api/open-world.ts';
import { openHere } from '../project/open-here.ts';
import { reportProblems } from './run.ts';

/**
 * `batharon sign-in [CREDENTIAL]`: gets a token without a chain, says for what and until when, and sends the request that `test:` of
 * the credential names.
 */
export function signIn(name: string | undefined, options: { env?: string }): Promise<ExitCode> {
  return withCredential(name, options, async (context, credential, terminal, world) => {
    const { kind, test } = context.project.credentials.get(credential)!;
    const { hasToken } = kindOfCredential(kind)!;
    if (hasToken) {
      const filled = fillCredential(context, { as: credential, url: 'https://localhost/' });
      const request = { method: 'GET', url: 'https://localhost/', headers: [] };
      const { signedIn } = await context.ports.credentials.authorise(
        filled,
        request,
        context.interruption.signal,
      );
      const kept = signedIn === undefined ? ', by a token that was kept' : '';
      terminal.write(
        `${terminal.colours.green('passed')}    signed in as ${credential}${kept}${scopeWords(signedIn)}${untilWords(signedIn)}.\n`,
      );
    }
    if (test !== undefined) return tryOut(context, credential, test, { terminal, world });
    const done = hasToken
      ? 'No request was sent with it'
      : `${credential} is of kind ${kind}: ${kind === 'chain' ? 'its chain is carried out when a call needs it' : 'it goes with each request'}. Its secrets are there; no request was sent with it`;
    terminal.write(`${done}. test: GET SERVICE /path in the credential names one.\n`);
    return 0;
  });
}

/** Sends one request with a credential, and shows what came. */
async function tryOut(
  { interruption, options, project }: RunContext,
  credential: string,
  test: string,
  { terminal, world }: { readonly terminal: Terminal; readonly world: OpenWorld },
): Promise<ExitCode> {
  const text = `chain: ${JSON.stringify(`Sign in as ${credential}`)}\nsteps:\n  - call: ${test}\n    as: ${credential}\n`;
  const { chain, findings } = readChain(SENT_FILE, text, project);
  const problem = findings.find((finding) => finding.level === 'problem');
  if (!chain || problem)
    return fail('wrong-form', `the test of ${credential}: ${problem?.message ?? test}`, {
      hint: problem?.hint ?? 'test: GET kiln /me',
      place: project.credentials.get(credential)!.at,
    });
  const view = new RunView(terminal);
  const { exit } = await runRecorded(chain, project, world, {
    options: {
      inputs: {},
      part: true,
      ...(options.signInChains ? { signInChains: options.signInChains } : {}),
      signal: interruption.signal,
      emit: (event) => view.show(event),
    },
  });
  return exit;
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
    const world = await openHere(project);
    try {
      // A chain of one request that carries the credential needs the same secrets; it is never sent.
      const text = `chain: sign-in\nsteps:\n  - call: GET https://localhost/\n    as: ${credential}\n`;
      const { chain } = readChain('sign-in', text, project);
      const context = new RunContext(chain!, project, world.ports, {
        options: {
          id: 'sign-in',
          inputs: {},
          signal: interruption.signal,
          emit: () => undefined,
          signInChains: loaded.signInChains,
          ...(world.practice === undefined ? {} : { practice: world.practice }),
        },
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
      hint: near ?? (names.length > 0 ? names.join(', ') : 'credentials: in batharon.yaml'),
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
        hint: names.length === 0 ? 'credentials: in batharon.yaml' : `batharon sign-in ${names.join(' | ')}`,
      },
    )
  );
}
