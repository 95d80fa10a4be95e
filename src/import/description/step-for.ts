import type { Description, Operation } from '../../core/contract/description.ts';
import { partsOf } from '../../core/contract/find-operation.ts';
import { PRACTICE_PATH } from '../../core/chain/read/described-call.ts';
import type { Project, Service } from '../../core/chain/project.ts';
import { operationStep } from './operation-step.ts';

/** The step to write for an operation of a service that the project has, or is to have. */
export function stepFor(
  description: Description,
  operation: Operation,
  { service }: { readonly project: Project; readonly service: Service | undefined },
): { readonly lines: string[]; readonly inputs: ReadonlyMap<string, string[]>; readonly notes: string[] } {
  const inputs = new Map<string, string[]>();
  const { lines, notes } = operationStep(description, operation, {
    service: service?.name ?? 'service',
    base: service ? basePath(service) : [],
    inputs,
    names: new Set(),
  });
  return { lines, inputs, notes };
}

/** The path of the URL of a service, as far as it is written. */
export function basePath({ url }: Service): string[] {
  if (url === 'practice') return partsOf(PRACTICE_PATH);
  const [only] = url.parts;
  return url.parts.length === 1 && typeof only === 'string' && URL.canParse(only)
    ? partsOf(new URL(only).pathname)
    : [];
}
