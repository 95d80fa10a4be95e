import type { CallStep } from '../../chain/model.ts';
import type { RunContext } from '../scope/context.ts';

/** What to do about a response of 401. */
export function refusedAdvice(step: CallStep, { project }: RunContext): string {
  const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
  const name = step.as ?? service?.as;
  if (name === undefined || name === 'nobody')
    return 'the request carried no credential: as: on the call or its service names one';
  return `the service did not accept the credential ${name} (${project.credentials.get(name)!.kind})`;
}
