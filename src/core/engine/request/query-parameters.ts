import type { CallStep, Parameter } from '../../chain/model.ts';
import type { RunContext } from '../scope/context.ts';
import { type Inserter, renderParameters, watchingShort } from '../scope/insert.ts';

/**
 * The parameters that are added to the URL of a call, in order: those that its service has for all calls, then its own. A
 * name that the call sets, or that stands in the URL already, is not taken from the service.
 */
export function queryParameters(
  url: string,
  {
    step,
    shared,
    rendered,
  }: {
    readonly step: Pick<CallStep, 'query'>;
    readonly shared: readonly Parameter[];
    readonly rendered: (parameters: readonly Parameter[]) => [string, string][];
  },
): [string, string][] {
  const own = rendered(step.query);
  const names = own.map(([name]) => name);
  return [...rendered(missingFrom(url, shared, [...step.query.map(({ name }) => name), ...names])), ...own];
}

/** The parameters of a service that neither stand in a URL nor are among the names that are set otherwise. */
export function missingFrom(
  url: string,
  shared: readonly Parameter[],
  names: readonly string[],
): readonly Parameter[] {
  if (shared.length === 0) return shared;
  const taken = new Set([...names, ...namesIn(url)]);
  return shared.filter(({ name }) => !taken.has(name));
}

/** The names of the parameters of a URL (https://url.spec.whatwg.org/#application/x-www-form-urlencoded). */
function namesIn(url: string): string[] {
  const at = url.indexOf('?');
  return at < 0 ? [] : [...new URLSearchParams(url.slice(at + 1).replace(/#.*$/s, '')).keys()];
}

/** The parameters that a service has for all calls; none where an address out of a response leads elsewhere: they may hold a key. */
export function sharedQuery(context: RunContext, step: CallStep, url: string): readonly Parameter[] {
  const service = context.serviceOf(step);
  if (!service || service.query.length === 0) return [];
  return new URL(url).origin === context.serviceOrigins.get(service.name) ? service.query : [];
}

/** Parameters, with the names of those whose secret is too short to be found elsewhere. */
export function renderQuery(
  context: RunContext,
  inserter: Inserter,
  parameters: readonly Parameter[],
): [string, string][] {
  return parameters.flatMap((parameter) =>
    renderParameters(
      watchingShort(inserter, () => context.hidden.names.add(parameter.name)),
      [parameter],
    ),
  );
}
