import type { EventBody } from '../core/events.ts';
import { exitOf } from '../core/problem-codes.ts';
import type { RecordedProblem, RecordedRun, RecordedStep } from '../core/record/recorded-run.ts';

/** A recorded run that a report is made of. */
export interface ReportSource {
  readonly run: RecordedRun;
  /** The body of a request or a response, masked; undefined if it was not kept whole. */
  bytes(part: { readonly body?: EventBody | undefined }): Uint8Array | undefined;
}

/** All steps of a run in the order in which they began, those in iterations and groups behind what they stand in. */
export function* allSteps({ cleanup, steps, undo }: RecordedRun): Generator<RecordedStep> {
  yield* inside([...steps, ...undo, ...cleanup]);
}

function* inside(steps: readonly RecordedStep[]): Generator<RecordedStep> {
  for (const step of steps) {
    yield step;
    yield* inside(step.steps);
    for (const iteration of step.iterations) yield* inside(iteration.steps);
  }
}

/** What went wrong with a step, in lines: what was expected, what came, where it stands. */
export function failureLines(step: RecordedStep, run: RecordedRun): string[] {
  const last = step.attempts.at(-1);
  const failed = step.expected.filter(({ passed }) => !passed);
  const { file, line, column } = failed[0]?.place ?? step.problem?.place ?? step.began.place;
  return [
    ...failed.flatMap(({ because, got, condition, hint }) => [
      `expected  ${condition}`,
      `got       ${got ?? ''}`,
      ...(because === undefined ? [] : [`because   ${because}`]),
      ...(hint === undefined ? [] : [`hint      ${hint}`]),
    ]),
    ...(failed.length > 0 || !step.problem
      ? []
      : [
          `problem   ${step.problem.message}`,
          ...(step.problem.hint === undefined ? [] : [`hint      ${step.problem.hint}`]),
        ]),
    ...(last
      ? [
          `call      ${last.sent.method} ${last.sent.url}${last.response ? ` · ${last.response.status}` : ''}${step.attempts.length > 1 ? ` · ${step.attempts.length} requests` : ''}`,
        ]
      : []),
    `at        ${file}:${line}:${column}`,
    `details   batharon view ${run.id}:${step.address}`,
  ];
}

/** Whether a problem kept the run from being completed, rather than an expectation from holding. */
export function isIncomplete({ code }: RecordedProblem): boolean {
  return exitOf(code) === 3;
}

/** Seconds with three digits behind the point. */
export function seconds(milliseconds: number): string {
  return (milliseconds / 1000).toFixed(3);
}

/** The outcome of a run in words that stand by themselves. */
export function outcomeWords({ elapsed, outcome }: RecordedRun): string {
  return `${outcome === 'unfinished' ? 'interrupted' : outcome} after ${seconds(elapsed)} s`;
}
