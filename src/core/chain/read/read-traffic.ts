import { NONE, saysYes } from '../source/key-definition.ts';
import { Duration } from '../../language/values.ts';
import type { StaticScope } from '../../language/scope.ts';
import { speaksOfStatus } from '../../language/tree.ts';
import { callbackKeys, idempotencyKeys, PER, paceKeys, retryKeys } from '../keys/traffic-keys.ts';
import type { FieldReader } from '../fields/fields.ts';
import { type Callback, type Idempotency, REPEAT_ON, type Retry } from '../model.ts';
import type { PaceSetting, Project } from '../project.ts';
import { optional } from '../optional.ts';
import { type SourceNode, valueOf } from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';

/** How often a call is sent again because the service says to come back. */
export const RETRY_AFTER_AT_MOST = 10;

/** How long a call waits in all when the service says so, in milliseconds. */
export const DEFAULT_RETRY_AFTER = 60_000;

/** Reads `retry` of a call or a service; `response` is what its condition sees, `scope` what its settings see. */
export function readRetry(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: StaticScope,
  response: StaticScope,
): Retry | undefined {
  if (fields.literal(node) === NONE)
    return {
      attempts: { value: 1 },
      on: [],
      wait: { least: { value: new Duration(0) } },
      retryAfter: { value: new Duration(0) },
    };
  if (node?.type !== 'map') return undefined; // the form has been looked at
  checkStructure(fields.findings, node, retryKeys, 'retry');
  const onNode = valueOf(node, 'on');
  const when = valueOf(node, 'when');
  // How long it waits as told says nothing of what else is repeated.
  const isOnlyTold = node.entries.length === 1 && valueOf(node, 'retry-after') !== undefined;
  const attempts = fields.amount(valueOf(node, 'attempts'), scope, isOnlyTold ? 1 + RETRY_AFTER_AT_MOST : 4);
  if ('value' in attempts && attempts.value === 0)
    fields.findings.problem(
      valueOf(node, 'attempts')!,
      'wrong-form',
      'the first request is an attempt too, so there is at least one',
      'attempts: 1',
    );
  return {
    attempts,
    on:
      onNode?.type === 'list'
        ? onNode.items.flatMap((item) => (item.type === 'scalar' ? [item.text] : []))
        : isOnlyTold
          ? []
          : REPEAT_ON,
    wait: fields.pause(valueOf(node, 'wait'), scope, { least: 1000, most: 30_000 }),
    ...optional('when', when && fields.condition(when, response)),
    retryAfter: fields.bound(valueOf(node, 'retry-after'), scope, DEFAULT_RETRY_AFTER),
  };
}

/** Whether a retry speaks of status, so that the step does not expect one below 400 of itself. */
export function retriesOnStatus(retry: Retry | undefined): boolean {
  return retry?.when !== undefined && speaksOfStatus(retry.when.expression.tree);
}

export function readIdempotency(
  fields: FieldReader,
  node: SourceNode | undefined,
  sent: StaticScope,
): Idempotency | undefined {
  if (!node) return undefined;
  const byDefault = { header: 'Idempotency-Key' };
  if (node.type === 'scalar') return saysYes(node.text) ? byDefault : undefined;
  if (node.type !== 'map') return undefined;
  checkStructure(fields.findings, node, idempotencyKeys, 'idempotency');
  const key = valueOf(node, 'key');
  return {
    header: fields.literal(valueOf(node, 'header')) ?? byDefault.header,
    ...optional('key', key && fields.template(key, sent)),
  };
}

export function readCallback(
  fields: FieldReader,
  node: SourceNode | undefined,
  project: Project,
  { scope, response }: { readonly scope: StaticScope; readonly response: StaticScope },
): Callback | undefined {
  if (node?.type !== 'map') return undefined;
  checkStructure(fields.findings, node, callbackKeys, 'callback');
  const when = valueOf(node, 'when');
  const signedNode = valueOf(node, 'signed-by');
  const signedBy = fields.literal(signedNode);
  if (signedNode && project.credentials.get(signedBy ?? '')?.kind !== 'message-signature')
    fields.findings.problem(
      signedNode,
      'unknown-credential',
      `the project has no credential ${signedBy ?? ''} of kind message-signature`,
      'credentials: in batharon.yaml, with its key',
    );
  if (when?.type === 'scalar' && !/\barrived\b/.test(when.text))
    fields.findings.warn(
      when,
      'item-not-used',
      'when is asked of each request that arrives, and says nothing of it',
      /^(?:body|headers)\b/.test(when.text)
        ? fields.findings.becomes(when, `arrived.${when.text}`)
        : "arrived.body.state == 'done'",
    );
  return {
    within: fields.bound(valueOf(node, 'within'), scope, 120_000),
    ...optional('when', when && fields.condition(when, response)),
    ...optional('signedBy', signedBy),
  };
}

const PERIODS: Readonly<Record<string, number>> = {
  second: 1000,
  minute: 60_000,
  hour: 3_600_000,
  day: 86_400_000,
};

/** Reads `pace` of a service: `10 per second`, or a map. */
export function readPace(fields: FieldReader, node: SourceNode | undefined): PaceSetting | undefined {
  if (!node || node.type === 'empty' || fields.literal(node) === NONE) return undefined;
  if (node.type === 'scalar') return { ...optional('rate', readRate(fields, node, node.text)), burst: 1 };
  if (node.type !== 'map') return undefined;
  checkStructure(fields.findings, node, paceKeys, 'pace');
  const whole = (name: string): number | undefined => {
    const value = valueOf(node, name);
    if (value?.type !== 'scalar' || !/^\d+$/.test(value.text)) return undefined;
    if (Number(value.text) === 0) {
      fields.findings.problem(value, 'wrong-form', `${name} is at least 1: with 0 nothing could be sent`);
      return undefined;
    }
    return Number(value.text);
  };
  const rateNode = valueOf(node, 'rate');
  const budget = /^(\d+) per (hour|day)$/.exec(fields.literal(valueOf(node, 'budget')) ?? '');
  return {
    ...optional('rate', rateNode && readRate(fields, rateNode, fields.literal(rateNode) ?? '')),
    burst: whole('burst') ?? 1,
    ...optional('atOnce', whole('at-once')),
    ...optional(
      'budget',
      budget ? { count: Number(budget[1]), period: budget[2] as 'hour' | 'day' } : undefined,
    ),
  };
}

function readRate(fields: FieldReader, node: SourceNode, text: string): PaceSetting['rate'] {
  const [, count = '', period = ''] = PER.exec(text) ?? [];
  if (count === '') return undefined; // the form has been looked at
  if (Number(count) === 0) {
    fields.findings.problem(node, 'wrong-form', 'a pace of 0 would send nothing', '1 per minute');
    return undefined;
  }
  return { count: Number(count), period: PERIODS[period]! };
}
