import { kindOfCredential } from '../core/chain/keys/credential-keys.ts';
import type { Chain } from '../core/chain/model.ts';
import type { Credential, Project } from '../core/chain/project.ts';
import { run } from '../core/engine/run/run.ts';
import type { ExitCode, RunEvent } from '../core/events.ts';
import { parseJson } from '../core/language/json.ts';
import type { Value } from '../core/language/values.ts';
import type { Credentials } from '../core/ports.ts';
import { RunCredentials } from '../io/credentials/index.ts';
import { machinePorts } from '../io/machine-ports.ts';
import { ReplayTransport } from '../io/replay-transport.ts';
import { unwrittenFiles, unwrittenRows } from '../io/files/unwritten-files.ts';
import { HurriedClock } from '../io/hurried-clock.ts';
import type { OpenRun } from './open-run.ts';
import { keptNames } from './recorded-names.ts';

/**
 * Carries a chain out against the responses of a recorded run, and sends nothing. Secrets are not needed. Returns results as the
 * event of its end has them; `emit` is told each event.
 */
export async function replay(
  { chain, inputs }: { readonly chain: Chain; readonly inputs: Readonly<Record<string, Value>> },
  project: Project,
  recorded: OpenRun,
  emit: (event: RunEvent) => void,
): Promise<{ readonly exit: ExitCode; readonly results: Readonly<Record<string, string>> }> {
  const transport = new ReplayTransport({
    id: recorded.id,
    steps: () => recorded.steps(),
    bytes: (part) => recorded.bytes(part),
  });
  const clock = new HurriedClock(recorded.run.at);
  // Nothing is sent, so nothing is counted and nobody calls back.
  const { chance, cookies, digests, formats } = machinePorts(project, transport, { variables: {} });
  let results: Readonly<Record<string, string>> = {};
  const { exit } = await run(
    chain,
    {
      ...project,
      credentials: new Map([...project.credentials].map(([name, one]) => [name, unsigned(one)])),
    },
    {
      transport,
      chance,
      cookies,
      digests,
      formats,
      rows: unwrittenRows,
      clock,
      secrets: { get: (name) => Promise.resolve(`‹secret ${name}›`) },
      credentials: inAddress(new RunCredentials(transport, clock)),
      files: unwrittenFiles,
    },
    {
      id: recorded.id,
      inputs: { ...recordedInputs(chain, recorded), ...inputs },
      answeredBefore: (address) => answerIn(recorded, address),
      values: new Map(Object.entries(recorded.run.values).map(([name, json]) => [name, parseJson(json)])),
      signal: new AbortController().signal,
      practice: practiceOf(recorded),
      marks: true,
      emit: (event) => {
        if (event.event === 'run-ended') ({ results } = event);
        emit(event);
      },
    },
  );
  return { exit, results };
}

/** The inputs that the run had, with marks in the place of secrets. */
function recordedInputs(chain: Chain, { run: { inputs } }: OpenRun): Record<string, Value> {
  return Object.fromEntries(
    chain.inputs.flatMap(({ name }): [string, Value][] => {
      const json = Object.hasOwn(inputs, name) ? inputs[name] : undefined;
      return json === undefined ? [] : [[name, parseJson(json)]];
    }),
  );
}

/** What was answered in the run; a mark in the place of a secret. */
function answerIn(recorded: OpenRun, address: string): Value | undefined {
  const step = recorded.step(address);
  const name = address.slice(address.lastIndexOf('.') + 1);
  return step?.began.type === 'ask' ? keptNames(step).get(name) : undefined;
}

/** A credential that signs in by a chain has nothing to sign in with here. */
function unsigned({ signIn: _, ...credential }: Credential): Credential {
  return credential;
}

/** Requests are told apart by their addresses and bodies, so of credentials only what stands in an address counts. */
function inAddress(credentials: Credentials): Credentials {
  return {
    authorise: (filled, request, signal) =>
      kindOfCredential(filled.credential.kind)?.sentIn === 'query'
        ? credentials.authorise(filled, request, signal)
        : Promise.resolve({ headers: [], query: [], secrets: [] }),
    renew: () => false,
    accepted: () => undefined,
    verify: (filled, request) => credentials.verify(filled, request),
  };
}

/** Where the practice service was. */
function practiceOf(recorded: OpenRun): string {
  for (const { attempts } of recorded.steps()) {
    const [, url] = /^(https?:\/\/[^/]+\/v1)/.exec(attempts[0]?.sent.url ?? '') ?? [];
    if (url !== undefined) return url;
  }
  return 'http://127.0.0.1/v1';
}
