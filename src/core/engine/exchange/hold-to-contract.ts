import type { CallStep } from '../../chain/model.ts';
import type { ContractLevel, Operation } from '../../contract/description.ts';
import { type Deviation, requestDeviations, responseDeviations } from '../../contract/deviations.ts';
import { findOperation, partsOf } from '../../contract/find-operation.ts';
import { saidOfPlace } from '../../language/same-in-items.ts';
import type { EventDeviation } from '../../event-deviation.ts';
import type { RunContext } from '../scope/context.ts';
import type { CallResult } from '../wire/call-result.ts';

const basePaths = new Map<string, readonly string[]>();

/** The parts of the path of a service's URL: there are few of them, and each of their calls asks. */
function basePathOf(base: string): readonly string[] {
  let parts = basePaths.get(base);
  if (!parts) {
    parts = partsOf(new URL(base).pathname);
    if (basePaths.size > 1_000) basePaths.clear();
    basePaths.set(base, parts);
  }
  return parts;
}

/** How a call is held to the description of its service. */
export function contractLevel(context: RunContext, step: CallStep): ContractLevel {
  return context.options.contract ?? step.contract ?? context.serviceOf(step)?.contract ?? 'warn';
}

/**
 * Holds a response, and the request that it is for, to the description of the service. A deviation is told at once, or fails
 * the step where the contract is strict.
 */
export function holdToContract(context: RunContext, step: CallStep, result: CallResult): void {
  const { descriptions } = context.project;
  const service = context.serviceOf(step);
  if (!descriptions || !service?.description) return;
  const level = contractLevel(context, step);
  const description = level === 'off' ? undefined : descriptions.of(service.name);
  const base = context.serviceBases.get(service.name);
  if (!description || base === undefined || !result.url.startsWith(base)) return;
  const { method } = result.request;
  const end = result.url.slice(base.length).search(/[?#]/);
  const path = end < 0 ? result.url.slice(base.length) : result.url.slice(base.length, base.length + end);
  const segments = partsOf(path);
  const found = findOperation(description, method, segments, basePathOf(base));
  if (!('head' in found)) {
    // A path that is written was looked at before the run.
    if (step.target.type === 'address')
      tell(context, step, level, {
        operation: `${method} ${new URL(result.url).pathname}`,
        direction: 'request',
        path: 'operation',
        says: 'is not described',
        described: description.file,
      });
    return;
  }
  const operation = description.operation(found.head);
  const { status } = result.response;
  const { type, value } = result.body;
  const { validator } = context.contract;
  const isWhole = !result.saved || step.save?.buffered === true;
  const response = responseDeviations(
    description,
    operation,
    {
      status,
      headers: result.response.headers,
      type,
      json: isWhole && typeof type === 'string' && /[/+]json$/.test(type) ? value : undefined,
      size: result.size,
    },
    validator,
  );
  for (const one of response) tell(context, step, level, eventOf(operation, 'response', one, status));
  // What the service has refused may be just what a chain is for.
  if (!validator || status === 400 || status === 422) return;
  const { url, json } = result.request;
  const request = requestDeviations(
    description,
    operation,
    { url, json, segments, headers: result.sentHeaders },
    validator,
  );
  for (const one of request) tell(context, step, level, eventOf(operation, 'request', one));
}

function eventOf(
  { head: { method, path: template } }: Operation,
  direction: EventDeviation['direction'],
  { also, path, says, at }: Deviation,
  status?: number,
): EventDeviation {
  return {
    operation: `${method} ${template}`,
    direction,
    ...(status === undefined ? {} : { status }),
    path,
    says,
    ...(also === undefined ? {} : { also }),
    described: `${at.file}:${at.line}`,
  };
}

function tell(context: RunContext, step: CallStep, level: ContractLevel, deviation: EventDeviation): void {
  if (level === 'strict') return context.contract.fail(context.address(step), deviation);
  if (context.contract.isNew(deviation)) warnDeviation(context, step, deviation);
}

/** Says that something is not as described. */
function warnDeviation(context: RunContext, step: CallStep, deviation: EventDeviation): void {
  context.emit({
    event: 'warning',
    step: context.address(step),
    code: 'not-as-described',
    message: deviationText(deviation),
    deviation,
  });
}

/** Deviations of a step that failed for something else are told all the same. */
export function tellUntold(context: RunContext, step: CallStep): void {
  for (const one of context.contract.take(context.address(step))) warnDeviation(context, step, one);
}

/** A deviation in a sentence. */
export function deviationText(deviation: EventDeviation): string {
  const { operation, direction, status, described } = deviation;
  const where = direction === 'request' ? `${operation}, sent` : `${operation}, ${status ?? 'response'}`;
  return `${where}: ${saidOfDeviation(deviation)}${described === undefined ? '' : ` (${described})`}`;
}

/** What is wrong, and where in what came or was sent. */
export function saidOfDeviation({ path, says, also }: EventDeviation): string {
  return saidOfPlace({ path, says, ...(also === undefined ? {} : { also }) });
}
