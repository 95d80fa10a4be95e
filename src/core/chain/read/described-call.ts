import {
  type ContractLevel,
  CONTRACTS,
  type DescribedResponse,
  type Description,
  type Operation,
} from '../../contract/description.ts';
import { findOperation, partsOf, type PathSegment } from '../../contract/find-operation.ts';
import { responseFor } from '../../contract/responses.ts';
import { kindOfEither } from '../../contract/schema-kind.ts';
import type { Kind } from '../../language/kinds.ts';
import { nameList } from '../../language/nearest.ts';
import { operationText, sayDeviation, spotText } from '../fields/contract-findings.ts';
import type { Template } from '../model.ts';
import type { Service } from '../project.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import type { RequestLine } from './read-request-line.ts';
import type { StepReader } from './step-reader.ts';

/** The operation that a call is, by the description of its service. */
export interface DescribedCall {
  readonly description: Description;
  readonly operation: Operation;
  readonly service: Service;
  readonly level: 'strict' | 'warn';
}

/** Finds the operation of a call. What the description does not know of its method and path is a finding. */
export function describedCall(
  { fields, project, contracts }: StepReader,
  node: MapNode,
  request: RequestLine | undefined,
  contract: ContractLevel | undefined,
): DescribedCall | undefined {
  if (request?.target.type !== 'service') return undefined;
  const service = project.services.get(request.target.service);
  const level = contract ?? service?.contract ?? 'warn';
  const description = level === 'off' || !service ? undefined : project.descriptions?.of(service.name);
  const segments = segmentsOf(request.target.path);
  if (!description || level === 'off' || !segments) return undefined;
  const found = findOperation(description, request.method, segments, baseOf(service!));
  if ('head' in found) {
    contracts.push({ line: fields.findings.place(node).line, level, at: found.head.at });
    return { description, operation: description.operation(found.head), service: service!, level };
  }
  const at = valueOf(node, 'call')!;
  const path = request.where.replace(/^\S+ (?=\/)/, '').split(/[?#]/)[0]!;
  const said =
    'methods' in found
      ? {
          message: `${path} has no ${request.method} in ${description.file}`,
          hint: `it has ${nameList(found.methods)}`,
        }
      : {
          message: `${description.file} has no ${path}`,
          hint: found.near
            ? `the nearest is ${found.near.method} ${found.near.path} (${spotText(found.near.at)})`
            : `batharon calls ${service!.name} lists what it has`,
        };
  sayDeviation(fields.findings, level, { where: at, code: 'not-described', ...said });
  return undefined;
}

/** The parts of a path, undefined for what is inserted; undefined in all where an insertion may bring slashes. */
export function segmentsOf({ parts }: Template): PathSegment[] | undefined {
  if (parts.some((part) => typeof part === 'object' && part.raw)) return undefined;
  const text = parts.map((part) => (typeof part === 'string' ? part : HOLE)).join('');
  return partsOf(text.split(/[?#]/)[0]!).map((part) => (part.includes(HOLE) ? undefined : part));
}

/** The path of the address under which the practice service is started. */
export const PRACTICE_PATH = '/v1';

/** What stands for an insertion in the text of a template. */
export const HOLE = '\u0000';

/** The path of the URL of a service, as far as it is written. */
function baseOf({ url }: Service): string[] {
  if (url === 'practice') return partsOf(PRACTICE_PATH);
  const [only] = url.parts;
  return url.parts.length === 1 && typeof only === 'string' && URL.canParse(only)
    ? partsOf(new URL(only).pathname)
    : [];
}

/** The kind of `$` by the statuses that the step lets pass; undefined where the description does not say. */
export function describedKind(
  { description, operation }: DescribedCall,
  statuses: readonly number[] | undefined,
): Kind | undefined {
  const wanted: DescribedResponse[] = statuses
    ? [...new Set(statuses.flatMap((status) => responseFor(operation.responses, status) ?? []))]
    : operation.responses.filter(({ status }) => status.startsWith('2'));
  const contents = wanted.flatMap(({ content }) => content);
  if (contents.length === 0 || !contents.every(({ type, schema }) => schema && /[/+]json$/.test(type)))
    return undefined;
  return kindOfEither(contents.map(({ schema }) => description.schema(schema!, 'response')));
}

/** Statuses that a condition speaks of by `==` or `in`, and whether the description knows them. */
export function checkStatuses(
  { fields: { findings } }: StepReader,
  { operation, level }: DescribedCall,
  expect: SourceNode | undefined,
): number[] {
  const nodes = !expect ? [] : expect.type === 'list' ? expect.items : [expect];
  return nodes.flatMap((node) => {
    const condition = node.type === 'map' ? valueOf(node, 'holds') : node;
    if (condition?.type !== 'scalar') return [];
    const statuses = [
      ...condition.text.matchAll(/(?<![.\w])status\s*(?:==\s*(\d{3})\b|in\s*\[([\d,\s]+)\])/g),
    ].flatMap(([, one, several]) => (one ?? several!).split(',').map(Number));
    for (const status of statuses)
      if (!responseFor(operation.responses, status))
        sayDeviation(findings, level, {
          where: condition,
          code: 'not-described',
          message: `${operationText(operation)} has no response with status ${status}`,
          at: operation.head.at,
          hint: `it has ${nameList(operation.responses.map((one) => one.status))}`,
        });
    return statuses;
  });
}

/** What a key `contract` says. */
export function contractOf(written: string | undefined): ContractLevel | undefined {
  return CONTRACTS.find((one) => one === written);
}
