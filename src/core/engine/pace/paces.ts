import type { Project } from '../../chain/project.ts';
import type { Ports } from '../../ports.ts';
import { Budget } from './budget.ts';
import { Pace, type Paces, type Pacing } from './pace.ts';
import { SharedPacing } from './shared-pacing.ts';

/**
 * The pace of a service, or of a host that is none of the project's; it is made where there is none yet. `origin` is that of
 * the service, to which its budget belongs.
 */
export function paceFor(
  paces: Paces,
  name: string,
  {
    project,
    ports,
    origin,
  }: { readonly project: Project; readonly ports: Ports; readonly origin?: string | undefined },
): Pacing {
  let pace = paces.get(name);
  if (!pace) {
    const { clock, ledger, team } = ports;
    const setting = project.services.get(name)?.pace ?? { burst: 1 };
    const { budget } = setting;
    const counted = budget && ledger && new Budget(ledger, clock, name, { origin: origin!, budget });
    // What is none of the project's is each machine's own.
    pace =
      team && origin !== undefined
        ? new SharedPacing(clock, team, { name, origin, setting }, counted)
        : new Pace(clock, name, setting, counted);
    paces.set(name, pace);
  }
  return pace;
}

/** The service of the project that lies where a URL leads; undefined for all others, which nobody counts. */
export function serviceLedTo(origins: ReadonlyMap<string, string>, url: string): string | undefined {
  const { origin } = new URL(url);
  return [...origins].find(([, one]) => one === origin)?.[0];
}
