import type { EachStep, Step } from '../../chain/model.ts';
import type { RunContext } from '../scope/context.ts';

/**
 * How many calls steps will send to each service at least, as far as that is known before they begin: those under no
 * condition, and the iterations of loops over what is known already.
 */
export function plannedCalls(context: RunContext, steps: readonly Step[]): Map<string, number> {
  const planned = new Map<string, number>();
  count(context, steps, 1, planned);
  return planned;
}

function count(
  context: RunContext,
  steps: readonly Step[],
  times: number,
  planned: Map<string, number>,
): void {
  for (const step of steps) {
    if (step.when) continue;
    switch (step.type) {
      case 'call': {
        const service = context.serviceOf(step)?.name;
        if (service !== undefined) planned.set(service, (planned.get(service) ?? 0) + times);
        break;
      }
      case 'group':
      case 'repeat':
        count(context, step.steps, times, planned);
        break;
      case 'follow':
        count(context, step.chain.steps, times, planned);
        break;
      case 'each':
        count(context, step.steps, times * knownIterations(context, step), planned);
        break;
      default:
    }
  }
}

/** The iterations of a loop over what is known now; 0 where it is not, or where it may end early. */
function knownIterations(context: RunContext, step: EachStep): number {
  if (step.rows || step.until) return 0;
  try {
    const value = step.items.expression.evaluate(context.environment(step));
    if (Array.isArray(value)) return value.length;
    return typeof value === 'object' && value !== null ? Object.keys(value).length : 0;
  } catch {
    return 0; // it will be said when it is its turn
  }
}

/** Refuses to begin what the budget of a service would not let end. Throws `budget-used-up`. */
export async function refuseBeyondBudget(context: RunContext, steps: readonly Step[]): Promise<void> {
  const { services } = context.project;
  if (![...services.values()].some(({ pace }) => pace?.budget)) return;
  for (const [name, calls] of plannedCalls(context, steps)) {
    if (!services.get(name)?.pace?.budget) continue;
    await context.paceFor(name).budget?.promise(calls);
  }
}
