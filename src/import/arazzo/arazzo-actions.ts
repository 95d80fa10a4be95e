import { scalar } from '../yaml-text.ts';
import type { ArazzoAction, ArazzoStep } from './arazzo-document.ts';
import { conditionOfCriterion, type NamesOfWorkflow } from './runtime-expressions.ts';

/** What a step does again, as the language says it. */
export interface RepeatedStep {
  readonly lines: string[];
  /** Its conditions are those that it is polled for. */
  readonly polls: boolean;
}

/** How often something is done again where a document does not say it. */
const TIMES = 10;

/**
 * The actions of a step that have an equivalent: `retry` where a request failed is a retry, `retry` or `goto` the step itself for
 * what came is a poll; the end at the last step is none. All others are named.
 */
export function actionLines({
  step,
  conditions,
  names,
  onFailure,
  onSuccess,
  isLast,
  note,
}: {
  readonly step: ArazzoStep;
  readonly conditions: readonly string[];
  readonly names: NamesOfWorkflow;
  readonly onFailure: readonly ArazzoAction[];
  readonly onSuccess: readonly ArazzoAction[];
  readonly isLast: boolean;
  readonly note: (text: string) => void;
}): RepeatedStep {
  const { stepId } = step;
  const lines: string[] = [];
  let polls = false;
  const conditionsOf = ({ criteria = [] }: ArazzoAction): (string | undefined)[] =>
    criteria.map((one) => conditionOfCriterion(one, names));
  for (const action of onFailure) {
    const { retryAfter = 1, retryLimit = TIMES, type = 'end' } = action;
    const isAgain = type === 'retry' || (type === 'goto' && action.stepId === stepId);
    const own = conditionsOf(action);
    const statuses = own.flatMap((one) => (one === undefined ? [] : statusesIn(one)));
    if (type === 'end') continue; // A step that failed ends the run anyway.
    if (
      !isAgain ||
      (type === 'retry' && action.stepId !== undefined && action.stepId !== stepId) ||
      lines.length > 0
    ) {
      note(`on failure of ${stepId}: ${wordsOf(action)}`);
    } else if (statuses.length === own.length) {
      lines.push(
        'retry:',
        `  attempts: ${retryLimit + 1}`,
        `  on: [${(statuses.length > 0 ? statuses : ['no-response', '429', '5xx']).join(', ')}]`,
        `  wait: ${secondsText(retryAfter)}`,
      );
    } else if (conditions.length > 0) {
      // It is asked again until what is wanted is there.
      polls = true;
      lines.push(...pollLines(joined(conditions), retryAfter, retryLimit));
    } else note(`on failure of ${stepId}: ${wordsOf(action)}`);
  }
  for (const action of onSuccess) {
    const { type = 'end' } = action;
    const own = conditionsOf(action);
    const isSelf = type === 'goto' && action.stepId === stepId;
    if (type === 'end' && isLast) continue;
    if (isSelf && own.length > 0 && !own.includes(undefined) && lines.length === 0) {
      lines.push(...pollLines(`!(${joined(own as string[])})`, action.retryAfter ?? 1, TIMES));
    } else note(`on success of ${stepId}: ${wordsOf(action)}`);
  }
  return { lines, polls };
}

function pollLines(until: string, seconds: number, times: number): string[] {
  return [
    'poll:',
    `  until: ${scalar(until)}`,
    `  every: ${secondsText(seconds)}`,
    `  within: ${secondsText(Math.max(1, seconds * (times + 1)))}`,
  ];
}

function joined(conditions: readonly string[]): string {
  return conditions.length === 1 ? conditions[0]! : conditions.map(inBrackets).join(' && ');
}

function inBrackets(condition: string): string {
  return /&&|\|\|/.test(condition) ? `(${condition})` : condition;
}

/** The statuses of a condition that is about nothing else: `status == 503`, or several of them. */
function statusesIn(condition: string): string[] {
  const parts = condition
    .split('||')
    .map((part) => /^\s*\(?\s*status\s*==\s*(\d{3})\s*\)?\s*$/.exec(part)?.[1]);
  return parts.includes(undefined) ? [] : [parts.join(', ')];
}

function secondsText(seconds: number): string {
  return Number.isInteger(seconds) ? `${seconds}s` : `${Math.round(seconds * 1000)}ms`;
}

function wordsOf({ criteria = [], stepId, type = 'end', workflowId }: ArazzoAction): string {
  const target = stepId ?? workflowId;
  const when = criteria.map(({ condition }) => condition).join(', ');
  return `${type}${target === undefined ? '' : ` ${target}`}${when === '' ? '' : ` when ${when}`}`;
}
