import { kindOfCredential } from '../../core/chain/keys/credential-keys.ts';
import type { Project } from '../../core/chain/project.ts';
import { readChain } from '../../core/chain/read/read-chain.ts';
import type { ExitCode } from '../../core/events.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { type Loaded, loadProject } from '../../api/load.ts';
import { CredentialSession, type SignedIn } from '../../api/credential-session.ts';
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
  return withCredential(name, options, async ({ session, loaded, world, signal, terminal }, credential) => {
    const { kind, test } = loaded.project.credentials.get(credential)!;
    const { hasToken } = kindOfCredential(kind)!;
    if (hasToken) {
      const signedIn = await session.signIn();
      const kept = signedIn === undefined ? ', by a token that was kept' : '';
      terminal.write(
        `${terminal.colours.green('passed')}    signed in as ${credential}${kept}${scopeWords(signedIn)}${untilWords(signedIn)}.\n`,
      );
    }
    if (test !== undefined) return tryOut({ loaded, world, signal, terminal }, credential, test);
    const done = hasToken
      ? 'No request was sent with it'
      : `${credential} is of kind ${kind}: ${kind === 'chain' ? 'its chain is carried out when a call needs it' : 'it goes with each request'}. Its secrets are there; no request was sent with it`;
    terminal.write(`${done}. test: GET SERVICE /path in the credential names one.\n`);
    return 0;
  });
}

/** Sends one request with a credential, and shows what came. */
async function tryOut(
  { loaded, world, signal, terminal }: Omit<Opened, 'session'>,
  credential: string,
  test: string,
): Promise<ExitCode> {
  const { project, signInChains } = loaded;
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
      signInChains,
      signal,
      emit: (event) => view.show(event),
    },
  });
  return exit;
}

function scopeWords(signedIn: SignedIn): string {
  return signedIn?.scope === undefined ? '' : `, for ${signedIn.scope}`;
}

function untilWords(signedIn: SignedIn): string {
  if (signedIn?.until === undefined) return '';
  return `, until ${new Date(signedIn.until).toISOString().replace(/\.\d+Z$/, 'Z')}`;
}

/** `batharon sign-out [CREDENTIAL]`: forgets what is kept of it. */
export function signOut(name: string | undefined, options: { env?: string }): Promise<ExitCode> {
  return withCredential(name, options, async ({ session, terminal }, credential) => {
    await session.forget();
    terminal.write(`What was kept of ${credential} is forgotten.\n`);
    return 0;
  });
}

interface Opened {
  readonly session: CredentialSession;
  readonly loaded: Loaded;
  readonly world: OpenWorld;
  readonly signal: AbortSignal;
  readonly terminal: Terminal;
}

/** Fetches the secrets of a credential and does something with it. */
function withCredential(
  name: string | undefined,
  options: { env?: string },
  work: (opened: Opened, credential: string) => Promise<ExitCode>,
): Promise<ExitCode> {
  return guarded(async () => {
    const terminal = errorTerminal();
    const loaded = loadProject(options.env, true);
    if (reportProblems(terminal, loaded)) return 2;
    const credential = choose(loaded.project, name);
    const interruption = watchInterruption(terminal);
    const world = await openHere(loaded.project);
    const { signal } = interruption;
    try {
      const session = await CredentialSession.open(loaded, world, credential, signal);
      return await work({ session, loaded, world, signal, terminal }, credential);
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
