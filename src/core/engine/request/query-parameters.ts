import type { CallStep, Parameter } from '../../chain/model.ts';

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
  if (shared.length === 0) return own;
  const taken = new Set([
    ...step.query.map(({ name }) => name),
    ...own.map(([name]) => name),
    ...namesIn(url),
  ]);
  return [...rendered(shared.filter(({ name }) => !taken.has(name))), ...own];
}

/** The names of the parameters of a URL (https://url.spec.whatwg.org/#application/x-www-form-urlencoded). */
function namesIn(url: string): string[] {
  const at = url.indexOf('?');
  return at < 0 ? [] : [...new URLSearchParams(url.slice(at + 1).replace(/#.*$/s, '')).keys()];
}
