import type { CallStep } from '../../chain/model.ts';
import type { HeaderList } from '../../ports.ts';
import type { RunContext } from '../scope/context.ts';

/** What to do about a response of 401. */
export function refusedAdvice(step: CallStep, { ports, project }: RunContext, headers: HeaderList): string {
  const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
  const name = step.as ?? service?.as;
  if (name === undefined || name === 'nobody')
    return 'the request carried no credential: as: on the call or its service names one';
  const { kind } = project.credentials.get(name)!;
  const challenges = headers.flatMap(([header, value]) => (header === 'www-authenticate' ? [value] : []));
  const why = ports.credentials.whyUnanswered?.(kind, challenges);
  if (why !== undefined) return `the service ${why}; what the credential ${name} holds is not what is wrong`;
  return `the service did not accept the credential ${name} (${kind})`;
}
