import type {
  RecordedAttempt,
  RecordedRun,
  RecordedStep,
  RecordedIteration,
} from '../core/record/recorded-run.ts';
import type { ReportSource } from './report-source.ts';

/** The version of the form of the JSON report. */
const VERSION = 1;

/** Runs as JSON, for programs of your own: each with its steps, their requests and what they kept. Secrets are masked. */
export function json(sources: readonly ReportSource[]): string {
  return `${JSON.stringify({ version: VERSION, runs: sources.map(({ run }) => ofRun(run)) }, undefined, 2)}\n`;
}

function ofRun(run: RecordedRun): object {
  const { at, cleanup, files, left, warnings, steps, undo } = run;
  return {
    ...about(run),
    at: new Date(at).toISOString(),
    files: files.map(({ path }) => path),
    ...(left ? { left: { undo: left.undo, cleanup: left.cleanup } } : {}),
    warnings: warnings.map(({ code, message }) => ({ code, message })),
    steps: steps.map(ofStep),
    ...(undo.length > 0 ? { undo: undo.map(ofStep) } : {}),
    ...(cleanup.length > 0 ? { cleanup: cleanup.map(ofStep) } : {}),
  };
}

function about({
  calls,
  chain,
  elapsed,
  environment,
  exit,
  file,
  id,
  inputs,
  outcome,
  part,
  problem,
  results,
  resumed,
}: RecordedRun): object {
  return {
    id,
    chain,
    file,
    ...(environment === undefined ? {} : { environment }),
    outcome,
    ...(exit === undefined ? {} : { exit }),
    elapsed,
    calls,
    inputs,
    results,
    ...(problem ? { problem } : {}),
    part,
    resumed,
  };
}

function ofStep(step: RecordedStep): object {
  const { address, attempts, began, elapsed, expected, from, kept, outcome, problem, reason, said, states } =
    step;
  return {
    address,
    title: began.title,
    type: began.type,
    outcome: outcome ?? 'interrupted',
    from,
    elapsed,
    stands: `${began.place.file}:${began.place.line}:${began.place.column}`,
    ...(reason === undefined ? {} : { reason }),
    ...(problem ? { problem } : {}),
    ...(expected.length > 0
      ? {
          expected: expected.map(({ got, condition, passed }) => ({
            condition,
            passed,
            ...(got === undefined ? {} : { got }),
          })),
        }
      : {}),
    ...(kept.size > 0
      ? { kept: Object.fromEntries([...kept].map(([name, { value }]) => [name, value])) }
      : {}),
    ...(step.row
      ? { row: { path: step.row.path, nth: step.row.nth, change: step.row.change, values: step.row.row } }
      : {}),
    ...(said.length > 0 ? { said } : {}),
    ...(states === undefined ? {} : { states }),
    ...(step.waits.length > 0
      ? {
          waits: step.waits.map(({ event, from: since }) => ({
            from: since,
            for: event.for,
            why: event.why,
          })),
        }
      : {}),
    ...(attempts.length > 0 ? { requests: attempts.map(ofAttempt) } : {}),
    ...(step.steps.length > 0 ? { steps: step.steps.map(ofStep) } : {}),
    ...(step.iterations.length > 0 ? { iterations: step.iterations.map(ofIteration) } : {}),
  };
}

function ofIteration({
  elapsed,
  from,
  item,
  outcome,
  problem,
  steps,
  title,
  iteration,
}: RecordedIteration): object {
  return {
    iteration,
    ...(item === undefined ? {} : { item }),
    ...(title === undefined ? {} : { title }),
    outcome: outcome ?? 'interrupted',
    from,
    elapsed,
    ...(problem ? { problem } : {}),
    steps: steps.map(ofStep),
  };
}

function ofAttempt({ response, failed, from, sent }: RecordedAttempt): object {
  return {
    from,
    method: sent.method,
    url: sent.url,
    headers: sent.headers,
    ...(sent.body ? { body: sent.body } : {}),
    ...(sent.delayed === undefined ? {} : { delayed: sent.delayed }),
    ...(sent.page === undefined ? {} : { page: sent.page }),
    ...(response
      ? {
          status: response.status,
          response: { headers: response.headers, body: response.body },
          elapsed: response.elapsed,
          phases: response.phases,
        }
      : {}),
    ...(failed?.partial
      ? {
          status: failed.partial.status,
          partial: { headers: failed.partial.headers, body: failed.partial.body },
        }
      : {}),
    ...(failed ? { problem: failed.problem, elapsed: failed.elapsed, phases: failed.phases } : {}),
  };
}
