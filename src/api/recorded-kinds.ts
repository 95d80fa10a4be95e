import type { Project } from '../core/chain/project.ts';
import { type Kind, kindOfValue } from '../core/language/kinds.ts';
import { ProblemError } from '../core/problems.ts';
import { type OpenRun, responseOf } from './open-run.ts';
import { runsOfChain } from './recorded-names.ts';
import { recordsOf } from './run-recorded.ts';

/**
 * What the latest recorded response of a step was, by its chain file and address: it tells more surely than a description
 * what the service gives. Runs are read when one is first asked for.
 */
export function recordedKindsOf(project: Project): (file: string, address: string) => Kind | undefined {
  const runs = new Map<string, readonly OpenRun[]>();
  return (file, address) => {
    let own = runs.get(file);
    if (!own) {
      try {
        own = runsOfChain(recordsOf(project), file, project.environment);
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        own = [];
      }
      runs.set(file, own);
    }
    for (const open of own) {
      const step = open.step(address);
      const response = step && responseOf(step);
      const value = response && response.status < 400 ? open.value(response) : undefined;
      if (value !== undefined) return kindOfValue(value);
    }
    return undefined;
  };
}
