import { type ContractCoverage, CoverageCounter } from '../../core/contract/coverage.ts';
import { partsOf } from '../../core/contract/find-operation.ts';
import type { Description } from '../../core/contract/description.ts';
import { parseJson } from '../../core/language/json.ts';
import type { Maybe } from '../../core/language/values.ts';
import { ProblemError } from '../../core/problems.ts';
import type { RecordedAttempt } from '../../core/record/recorded-run.ts';
import { allSteps, type ReportSource } from '../report-source.ts';

/** What recorded runs have met of the descriptions of services, by the names of these. */
export function coverageOfRuns(
  sources: Iterable<ReportSource>,
  descriptions: ReadonlyMap<string, Description>,
): ContractCoverage[] {
  const counters = new Map(
    [...descriptions].map(([service, description]) => [service, new CoverageCounter(service, description)]),
  );
  for (const source of sources) {
    const { run } = source;
    for (const step of allSteps(run)) {
      for (const attempt of step.attempts) take(counters, source, attempt);
      for (const { deviation } of [...step.warnings, ...step.expected])
        if (deviation)
          for (const counter of counters.values())
            if (counter.isOwn(deviation)) counter.deviation(deviation, run.id);
    }
  }
  return [...counters.values()].map(({ coverage }) => coverage);
}

function take(
  counters: ReadonlyMap<string, CoverageCounter>,
  source: ReportSource,
  { response, sent }: RecordedAttempt,
): void {
  // What was redirected elsewhere is no call of the service any more.
  const [, service = '', path] = /^(\S+) (\/\S*)$/.exec(sent.written) ?? [];
  const counter = counters.get(service);
  if (!counter || path === undefined || !response) return;
  const segments = partsOf(path);
  const whole = partsOf(new URL(sent.url).pathname);
  counter.take({
    method: sent.method,
    segments,
    base: whole.slice(0, whole.length - segments.length),
    status: response.status,
    type: response.body.type,
    value: () => valueOf(source, response),
  });
}

function valueOf(source: ReportSource, response: NonNullable<RecordedAttempt['response']>): Maybe {
  const bytes = source.bytes(response);
  if (!bytes) return undefined;
  try {
    return parseJson(Buffer.from(bytes).toString('utf8'));
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return undefined;
  }
}
