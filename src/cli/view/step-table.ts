import { countOf } from '../../core/count-of.ts';
import type { StepStatistic } from '../../core/record/step-statistics.ts';
import { timeWords } from '../../core/units.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { fit, pad, padStart, widthOf } from '../terminal/text-width.ts';

/** So many steps are shown: those that failed, then the slowest. */
const SHOWN_STEPS = 30;

/** As wide as the longest word of how often a step failed. */
const LEAD = '           ';

/** What fits into a line after `taken` columns; all of it where nobody reads on a terminal. */
export function cut({ width, wrapWidth }: Terminal, text: string, taken: number): string {
  return wrapWidth === Infinity ? text : fit(text, Math.max(40, width - taken));
}

/** Prints how steps ended over several runs: a row for each, and why it failed; the file where there is more than one. */
export function printStepTable(terminal: Terminal, steps: readonly StepStatistic[]): void {
  const { colours, width } = terminal;
  const shown = steps
    .toSorted((a, b) => b.failed / b.times - a.failed / a.times || b.percentile95 - a.percentile95)
    .slice(0, SHOWN_STEPS);
  const files = new Set(steps.map(({ file }) => file)).size;
  const names = shown.map(({ file, address }) => (files > 1 ? `${file}  ${address}` : address));
  const column = Math.min(Math.max(4, ...names.map(widthOf)), Math.floor(width * 0.45));
  terminal.write(
    `${colours.dim(`${LEAD}${pad('step', column)}  ${padStart('failed', 14)}  ${padStart('median', 8)}  ${padStart('95 % below', 10)}`)}\n`,
  );
  const below = (text: string): void =>
    terminal.write(`${LEAD}${colours.dim(cut(terminal, text, LEAD.length + 1))}\n`);
  for (const [i, step] of shown.entries()) {
    const { times, failed, median, percentile95, reasons, firstFailed, slower } = step;
    const mark =
      failed > 0
        ? colours.red(pad(failed === times ? 'always' : 'sometimes', LEAD.length))
        : slower
          ? colours.yellow(pad('slower', LEAD.length))
          : LEAD;
    terminal.write(
      `${mark}${pad(fit(names[i]!, column), column)}  ${padStart(`${failed} of ${times}`, 14)}  ${padStart(timeWords(median), 8)}  ${padStart(timeWords(percentile95), 10)}\n`,
    );
    for (const [reason, count] of reasons.slice(0, 3)) below(`${count}x ${reason}`);
    if (firstFailed !== undefined) below(`first in run ${firstFailed}`);
    if (slower)
      below(
        `it took ${timeWords(slower.before)} in the earlier half, ${timeWords(slower.after)} in the later`,
      );
  }
  if (steps.length > shown.length) below(`and ${countOf(steps.length - shown.length, 'more step')}`);
}
