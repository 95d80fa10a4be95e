import { type Chain, type Step, stepsIn } from '../../chain/model.ts';
import type { Project } from '../../chain/project.ts';
import type { RunContext } from '../scope/context.ts';

/** What a chain needs of its project. */
export interface ChainNeeds {
  /** Names of secrets that some step can need: those it inserts, those of its services and of the credentials of its calls. */
  readonly secrets: ReadonlySet<string>;
  /** The chain itself, and those that it follows or that sign in for it. */
  readonly chains: ReadonlySet<Chain>;
  /** Names of the services that it calls, those of chains that it follows included. */
  readonly services: ReadonlySet<string>;
}

/** Looks through a chain, the chains that it follows, and those that sign in for it. */
export function needsOf(
  chain: Chain,
  project: Project,
  signInChains: ReadonlyMap<string, Chain> = new Map(),
): ChainNeeds {
  const secrets = new Set<string>();
  const services = new Set<string>();
  const visited = new Set<Chain>();
  const take = (names: ReadonlySet<string>): void =>
    names.forEach((name) => {
      if (name !== '*') secrets.add(name);
      else for (const one of project.secrets.keys()) secrets.add(one);
    });
  const inCredential = (name: string | undefined): void => {
    const credential = name === undefined ? undefined : project.credentials.get(name);
    if (!credential) return;
    take(credential.secrets);
    const signIn = signInChains.get(credential.name);
    if (signIn) inChain(signIn, false);
  };
  const inStep = (step: Step, isOwn: boolean): void => {
    if (step.type === 'follow') return inChain(step.chain, isOwn);
    stepsIn(step).forEach((inner) => inStep(inner, isOwn));
    step.undo.forEach((inner) => inStep(inner, isOwn));
    if (step.type !== 'call') return;
    const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
    if (service) {
      take(service.secrets);
      if (isOwn) services.add(service.name);
    }
    const carried = step.as === undefined ? service : step;
    for (const name of [carried?.as, ...(carried?.also ?? [])]) inCredential(name);
    inCredential(step.callback?.signedBy);
  };
  const inChain = (one: Chain, isOwn: boolean): void => {
    if (visited.has(one)) return;
    visited.add(one);
    take(one.secrets);
    [...one.steps, ...one.cleanup].forEach((step) => inStep(step, isOwn));
  };
  // Addresses of all services are made, since any of them may be inserted.
  for (const { urlSecrets } of project.services.values()) take(urlSecrets);
  inChain(chain, true);
  return { secrets, services, chains: visited };
}

/** Where the services that a chain calls are in this environment: their origins by their names. */
export function servicesAt({
  chain,
  project,
  serviceOrigins,
}: Pick<RunContext, 'chain' | 'project' | 'serviceOrigins'>): { readonly services?: Record<string, string> } {
  const origins = [...needsOf(chain, project).services].flatMap((name) => {
    const origin = serviceOrigins.get(name);
    return origin === undefined ? [] : [[name, origin] as const];
  });
  return origins.length === 0 ? {} : { services: Object.fromEntries(origins) };
}
