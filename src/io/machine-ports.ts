import type { Project } from '../core/chain/project.ts';
import type { Ports, Transport } from '../core/ports.ts';
import { AGENT } from './http/agent.ts';
import { RunCredentials } from './credentials/index.ts';
import type { KeptTokens } from './credentials/kept-tokens.ts';
import type { Person } from './credentials/person.ts';
import { RunCookies } from './http/cookies.ts';
import { localFiles } from './files/files.ts';
import { CallbackListener } from './callbacks.ts';
import { formats } from './files/formats.ts';
import { BudgetLedger } from './budget-ledger.ts';
import { projectFolder } from './secrets/project-folder.ts';
import { localRows } from './files/rows.ts';
import { ProjectSecrets, type SecretWorld } from './secrets/secrets.ts';
import { nodeDigests, systemChance, systemClock } from './world.ts';

/** What a run on this machine may use. */
export interface Machine extends SecretWorld {
  readonly person?: Person;
  /** The tokens that a team shares. */
  readonly tokens?: KeptTokens;
}

/** The ports of a run, those for real; `transport` is the caller's to close. */
export function machinePorts(
  project: Project,
  transport: Transport,
  machine: Machine,
): Ports & { readonly credentials: RunCredentials; readonly callbacks: CallbackListener } {
  return {
    transport,
    agent: AGENT,
    clock: systemClock,
    chance: systemChance,
    digests: nodeDigests,
    secrets: new ProjectSecrets(project, machine),
    credentials: new RunCredentials(
      transport,
      systemClock,
      machine.person,
      machine.tokens ?? machine.locked?.tokens,
    ),
    files: localFiles,
    cookies: new RunCookies(),
    formats,
    validator: async () => new (await import('./description/validate.ts')).SchemaValidator(),
    rows: localRows,
    callbacks: new CallbackListener(project.callbacks),
    ledger: new BudgetLedger(projectFolder(project)),
  };
}
