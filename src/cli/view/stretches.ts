import {
  type RecordedIteration,
  type RecordedStep,
  iterationCounts,
} from '../../core/record/recorded-run.ts';

/** A stretch of a bar, in milliseconds since the run began. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
  readonly as: keyof typeof DRAWN;
}

/** What stretches are drawn as, told apart without colours. Those behind lie over those before. */
export const DRAWN = {
  step: '─',
  wait: '·',
  pace: '░',
  'retry-after': '▒',
  request: '█',
  broken: '█',
} as const;
/** How long a request took, in milliseconds; 0 where nothing came of it. */
export function elapsedOf({ response, failed }: RecordedStep['attempts'][number]): number {
  return response?.elapsed ?? failed?.elapsed ?? 0;
}

/** When something ended; where it did not, as in a run that was killed, when the run did. */
export function endOf(
  { elapsed, from, outcome }: Pick<RecordedIteration, 'elapsed' | 'from' | 'outcome'>,
  end: number,
): number {
  return outcome === undefined ? Math.max(from, end) : from + elapsed;
}

/** What an iteration did and waited for, and where it failed. */
export function stretchesOfIteration(iteration: RecordedIteration, end: number): Stretch[] {
  const { from, outcome, steps } = iteration;
  const to = endOf(iteration, end);
  return [
    { from, to, as: 'step' },
    ...steps.flatMap((step) =>
      stretchesOf(step, outcome === 'passed' ? undefined : to).filter(({ as }) => as !== 'step'),
    ),
    // It may have failed by what came back, though each request was answered.
    ...(outcome === 'failed' ? [{ from: to, to, as: 'broken' as const }] : []),
  ];
}

/** What a step did and waited for; a wait that was interrupted ends with it. */
export function stretchesOf(step: RecordedStep, end?: number): Stretch[] {
  const all = wholeStretchesOf(step, end);
  if (end === undefined) return all;
  return all.flatMap((one) => (one.from <= end ? [{ ...one, to: Math.min(one.to, end) }] : []));
}

function wholeStretchesOf(step: RecordedStep, end: number | undefined): Stretch[] {
  // What some iterations did says nothing of the loop.
  const iterations = iterationCounts(step).all > step.iterations.length ? [] : step.iterations;
  return [
    ...iterations.flatMap(({ steps }) =>
      steps.flatMap((inner) => stretchesOf(inner, end).filter(({ as }) => as !== 'step')),
    ),
    { from: step.from, to: endOf(step, end ?? step.from), as: 'step' },
    ...step.waits.map(({ event, from }): Stretch => {
      const as = event.why === 'retry-after' ? 'retry-after' : event.why === 'pace' ? 'pace' : 'wait';
      return { from, to: from + event.for, as };
    }),
    ...step.attempts.flatMap((attempt): Stretch[] => {
      const { response, failed, from, sent } = attempt;
      const broken = failed !== undefined || (response !== undefined && response.status >= 400);
      const delayed = sent.delayed ?? 0;
      // One without a response took until the end.
      const to = response || failed ? from + elapsedOf(attempt) : (end ?? from);
      return [
        ...(delayed > 0 ? [{ from: from - delayed, to: from, as: 'pace' as const }] : []),
        { from, to, as: broken ? 'broken' : 'request' },
      ];
    }),
  ];
}
