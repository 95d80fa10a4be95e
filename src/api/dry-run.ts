import type { Chain } from '../core/chain/model.ts';
import type { Project } from '../core/chain/project.ts';
import { type DryRequest, dryRun } from '../core/engine/run/dry.ts';
import type { Value } from '../core/language/values.ts';
import { machinePorts } from '../io/machine-ports.ts';

export { lookAhead } from '../core/engine/run/dry.ts';

/** What a chain would send, in order, and where its services are. Nothing is sent, and no secret is read. */
export function wouldSend(
  project: Project,
  chain: Chain,
  inputs: Readonly<Record<string, Value>>,
): { readonly requests: readonly DryRequest[]; readonly services: Readonly<Record<string, string>> } {
  const transport = { send: () => Promise.reject(new Error('nothing is sent in a dry run')) };
  const ports = machinePorts(project, transport, { variables: {} });
  return dryRun(chain, project, ports, { inputs, practice: 'http://practice/v1' });
}
