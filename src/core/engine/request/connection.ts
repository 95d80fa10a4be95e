import type { Service } from '../../chain/project.ts';
import type { Template } from '../../chain/model.ts';
import { HOST_AND_PORT } from '../../header-names.ts';
import type { Connection } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { type Inserter, renderText } from '../scope/insert.ts';

/** How a service is connected to; undefined where it says nothing of that. */
export function connectionOf(
  context: RunContext,
  { address, name, proxy, tls }: Service,
  inserter: Inserter,
): Connection | undefined {
  if (!tls && !proxy && !address) return undefined;
  const text = <K extends string>(key: K, template: Template | undefined): Partial<Record<K, string>> =>
    template ? ({ [key]: renderText(inserter, template) } as Record<K, string>) : {};
  return {
    ...(tls
      ? {
          tls: {
            ...text('ca', tls.ca),
            ...text('cert', tls.cert),
            ...text('key', tls.key),
            ...text('pkcs12', tls.pkcs12),
            ...text('password', tls.keyPassword),
            ...(tls.minVersion === undefined ? {} : { minVersion: tls.minVersion }),
            verify: tls.verify,
          },
        }
      : {}),
    ...text('proxy', proxy),
    ...(address ? { address: addressText(renderText(inserter, address), name, address) } : {}),
    near: context.project.file ?? context.chain.file,
  };
}

/** How the service of the project is connected to that lies at an origin; undefined for all others. Throws `secret-missing`. */
export function connectionAt(context: RunContext, origin: string): Connection | undefined {
  for (const service of context.project.services.values()) {
    if (context.serviceOrigins.get(service.name) !== origin) continue;
    const inserter = context.inserter(
      context.environment(undefined, undefined, (one) => context.sentName(one)),
    );
    try {
      return connectionOf(context, service, inserter);
    } catch (error) {
      if (!(error instanceof ProblemError) || error.problem.code !== 'found-nothing') throw error;
      throw new ProblemError({
        code: 'secret-missing',
        message: `this leads to the service ${service.name}, and how that is connected to needs a secret that this chain does not use`,
        hint: `a call of ${service.name} in this chain, or redirects: 0`,
        ...(error.problem.place ? { place: error.problem.place } : {}),
      });
    }
  }
  return undefined;
}

function addressText(text: string, service: string, { at }: Template): string {
  if (HOST_AND_PORT.test(text) && Number(text.slice(text.lastIndexOf(':') + 1)) <= 65_535) return text;
  throw new ProblemError({
    code: 'not-a-url',
    message: `address of ${service} is a host and a port, and came out as something else`,
    hint: 'address: 10.0.0.7:8443',
    place: at,
  });
}
