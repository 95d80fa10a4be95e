import type { EventDeviation } from '../event-deviation.ts';
import type { Maybe } from '../language/values.ts';
import type { Description, OperationHead } from './description.ts';
import { findOperation } from './find-operation.ts';
import { describedMembers, takeMembers } from './member-paths.ts';
import { contentFor, responseFor } from './responses.ts';

/** A response that a run got of a described service. */
export interface MetResponse {
  readonly method: string;
  /** The path behind the URL of the service, and the path of that. */
  readonly segments: readonly string[];
  readonly base: readonly string[];
  readonly status: number;
  readonly type: string | undefined;
  /** The body; asked for only where its members count. */
  readonly value: () => Maybe;
}

/** What runs have met of an operation. */
export interface OperationCoverage {
  readonly operation: string;
  readonly id?: string;
  readonly calls: number;
  /** Each described status, and those that came otherwise, with how often they came. */
  readonly statuses: readonly {
    readonly status: string;
    readonly count: number;
    readonly isDescribed: boolean;
  }[];
  /** Members of described bodies of statuses that came: how many there are, and which never came. */
  readonly members: number;
  readonly neverSeen: readonly string[];
}

/** A deviation with how often it was told. */
export interface CountedDeviation extends EventDeviation {
  readonly count: number;
  /** The run in which it was told last. */
  readonly run: string;
}

/** What some runs have met of a description. */
export interface ContractCoverage {
  readonly service: string;
  readonly title: string;
  readonly file: string;
  readonly operations: readonly OperationCoverage[];
  readonly deviations: readonly CountedDeviation[];
  /** Requests that no operation is described for, with how often they were sent. */
  readonly unknown: readonly { readonly request: string; readonly count: number }[];
}

/** Members of so many bodies of one status are looked at. */
const MOST_BODIES = 200;

/** Counts what runs meet of one description. */
export class CoverageCounter {
  readonly #service: string;
  readonly #description: Description;
  readonly #met = new Map<
    OperationHead,
    Map<number, { count: number; seen: Set<string>; types: Set<string> }>
  >();
  readonly #deviations = new Map<string, CountedDeviation>();
  readonly #unknown = new Map<string, number>();

  constructor(service: string, description: Description) {
    this.#service = service;
    this.#description = description;
  }

  take({ base, method, segments, status, type, value }: MetResponse): void {
    const found = findOperation(this.#description, method, segments, base);
    if (!('head' in found)) {
      const request = `${method} /${segments.join('/')}`;
      this.#unknown.set(request, (this.#unknown.get(request) ?? 0) + 1);
      return;
    }
    const statuses =
      this.#met.get(found.head) ??
      new Map<number, { count: number; seen: Set<string>; types: Set<string> }>();
    const met = statuses.get(status) ?? { count: 0, seen: new Set<string>(), types: new Set<string>() };
    met.count++;
    if (met.count <= MOST_BODIES && /[/+]json$/.test(type ?? '')) takeMembers(value(), met.seen);
    if (type !== undefined) met.types.add(type);
    statuses.set(status, met);
    this.#met.set(found.head, statuses);
  }

  deviation(deviation: EventDeviation, run: string): void {
    const { operation, direction, status, path, says } = deviation;
    const key = [operation, direction, status, path.replace(/\[\d+\]/g, '[*]'), says].join(' ');
    const known = this.#deviations.get(key);
    this.#deviations.set(key, { ...(known ?? deviation), count: (known?.count ?? 0) + 1, run });
  }

  /** Whether a deviation is one of this description. */
  isOwn({ operation }: EventDeviation): boolean {
    return this.#description.operations.some(({ method, path }) => `${method} ${path}` === operation);
  }

  get coverage(): ContractCoverage {
    const { title, file, operations } = this.#description;
    return {
      service: this.#service,
      title,
      file,
      operations: operations
        .filter(({ incoming }) => incoming === undefined)
        .map((head) => this.#ofOperation(head)),
      deviations: [...this.#deviations.values()],
      unknown: [...this.#unknown].map(([request, count]) => ({ request, count })),
    };
  }

  #ofOperation(head: OperationHead): OperationCoverage {
    const met = this.#met.get(head);
    const { responses } = this.#description.operation(head);
    const described = responses.map(({ status }) => status);
    const counts = new Map<string, { count: number; isDescribed: boolean }>(
      described.map((status) => [status, { count: 0, isDescribed: true }]),
    );
    let members = 0;
    const neverSeen: string[] = [];
    for (const [status, { count, seen, types }] of met ?? []) {
      const response = responseFor(responses, status);
      const key = response?.status ?? String(status);
      counts.set(key, { count: (counts.get(key)?.count ?? 0) + count, isDescribed: response !== undefined });
      for (const type of response ? types : []) {
        const schema = contentFor(response!.content, type)?.schema;
        if (!schema || !/[/+]json$/.test(type)) continue;
        const all = describedMembers(this.#description.schema(schema, 'response'));
        members += all.length;
        neverSeen.push(...all.filter((path) => !seen.has(path)).map((path) => `${status} ${path}`));
      }
    }
    return {
      operation: `${head.method} ${head.path}`,
      ...(head.id === undefined ? {} : { id: head.id }),
      calls: [...(met?.values() ?? [])].reduce((sum, { count }) => sum + count, 0),
      statuses: [...counts].map(([status, one]) => ({ status, ...one })),
      members,
      neverSeen: [...new Set(neverSeen)],
    };
  }
}
