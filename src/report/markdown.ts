import { countOf } from '../core/count-of.ts';
import { whichStep } from '../core/record/step-words.ts';
import { visible } from '../core/language/show.ts';
import type { RecordedRun, RecordedStep } from '../core/record/recorded-run.ts';
import { allSteps, failureLines, outcomeWords, type ReportSource, seconds } from './report-source.ts';

/** Broken steps that are shown in full. */
const MOST_BROKEN = 10;

/** Runs in Markdown, short enough for a comment: what failed first, then the steps of each run. */
export function markdown(sources: readonly ReportSource[]): string {
  const text = sources.map(({ run }) => ofRun(run)).join('\n\n');
  // Whoever prints it to a terminal obeys no control character of a service.
  return `${text.split('\n').map(visible).join('\n')}\n`;
}

function ofRun(run: RecordedRun): string {
  const broken = [...allSteps(run)].filter(({ outcome, problem }) => outcome === 'failed' && problem);
  const where = [
    countOf(run.calls, 'call'),
    ...(run.environment === undefined ? [] : [text(run.environment)]),
    `\`${run.file}\``,
    `run \`${run.id}\``,
  ].join(' · ');
  return [
    `### ${text(run.chain)}: ${outcomeWords(run)}`,
    where,
    ...(run.problem ? [fenced([run.problem.message])] : []),
    ...broken
      .slice(0, MOST_BROKEN)
      .flatMap((step) => [`**${text(whichStep(step))}** failed`, fenced(failureLines(step, run))]),
    ...(broken.length > MOST_BROKEN ? [`and ${broken.length - MOST_BROKEN} more steps failed`] : []),
    [
      '| | step | status | time | |',
      '| --- | --- | ---: | ---: | --- |',
      ...run.steps.flatMap((step) => rows(step, 0)),
    ].join('\n'),
  ].join('\n\n');
}

function rows(step: RecordedStep, depth: number): string[] {
  const { attempts, began, elapsed, outcome, reason, iterations, iterationsBegan } = step;
  const last = attempts.at(-1);
  const passed = iterations.filter((iteration) => iteration.outcome === 'passed').length;
  const about = [
    ...(attempts.length > 1 ? [`${attempts.length} requests`] : []),
    ...(iterationsBegan ? [`${passed} of ${iterationsBegan.of ?? iterations.length} iterations passed`] : []),
    ...(reason === undefined ? [] : [text(reason)]),
    ...(last ? [`\`${last.sent.method} ${last.sent.written.replaceAll('`', '')}\``] : []),
  ].join(' · ');
  const name = /(?:^|\.)\d+$/.test(step.address) ? began.title : step.address;
  return [
    `| ${outcome === 'failed' ? '**failed**' : (outcome ?? 'interrupted')} | ${'&ensp;'.repeat(depth * 2)}${text(name)} | ${last?.response?.status ?? ''} | ${outcome === 'skipped' ? '' : `${seconds(elapsed)} s`} | ${about.replaceAll('|', '\\|')} |`,
    ...step.steps.flatMap((inner) => rows(inner, depth + 1)),
  ];
}

/** A text in which nothing is taken for Markdown or HTML. */
function text(value: string): string {
  return value
    .replace(/[\\`*_{}[\]<>()#+!|~@-]/g, (char) => (char === '<' ? '&lt;' : `\\${char}`))
    .replace(/\s+/g, ' ');
}

function fenced(lines: readonly string[]): string {
  const longest = Math.max(
    2,
    ...lines.flatMap((line) => [...line.matchAll(/`+/g)].map(([run]) => run.length)),
  );
  const fence = '`'.repeat(longest + 1);
  return `${fence}text\n${lines.join('\n')}\n${fence}`;
}
