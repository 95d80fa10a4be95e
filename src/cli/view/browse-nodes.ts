import type { EventBody } from '../../core/events.ts';
import { parseJson } from '../../core/language/json.ts';
import { brief } from '../../core/language/show.ts';
import { isObject, type Value } from '../../core/language/values.ts';
import type {
  RecordedAttempt,
  RecordedIteration,
  RecordedRun,
  RecordedStep,
} from '../../core/record/recorded-run.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import type { OpenRun } from '../../api/open-run.ts';
import { pathStep } from '../project/jsonpath-text.ts';

/** A line that may be opened: a step, an iteration, an attempt, a part of a body. */
export interface BrowseNode {
  readonly text: string;
  /** How it came out, in the column on the left. */
  readonly mark?: string;
  /** What a key copies: the address of a step, the path of a value, a field. */
  readonly copy?: string;
  /** What is inside of it; made when it is opened. */
  readonly inside?: () => readonly BrowseNode[];
}

/** So many items, members, or lines of a text are shown. */
const MOST = 2000;

/** A recorded run as nodes: its steps, what is inside of them, their requests and responses, bodies by their paths. */
export function nodesOfRun(open: OpenRun): readonly BrowseNode[] {
  const { run } = open;
  const step = (one: RecordedStep): BrowseNode => nodeOfStep(open, one);
  return [
    ...run.steps.map(step),
    ...group('undo', run.undo.map(step)),
    ...group('cleanup', run.cleanup.map(step)),
    ...valuesOf('inputs', run.inputs),
    ...valuesOf('results', run.results),
  ];
}

function group(text: string, inside: readonly BrowseNode[]): BrowseNode[] {
  return inside.length === 0 ? [] : [{ text, inside: () => inside }];
}

function valuesOf(text: string, values: RecordedRun['inputs']): BrowseNode[] {
  const entries = Object.entries(values);
  return entries.length === 0
    ? []
    : [{ text, inside: () => entries.map(([name, json]) => ({ text: `${name}: ${json}`, copy: json })) }];
}

function nodeOfStep(open: OpenRun, step: RecordedStep): BrowseNode {
  const { address, began, elapsed, outcome, reason } = step;
  const last = step.attempts.at(-1);
  const about = [
    last?.response ? String(last.response.status) : '',
    outcome === 'skipped' ? (reason ?? '') : timeWords(elapsed),
    last ? `${last.sent.method} ${last.sent.url}` : began.title === address ? '' : began.title,
  ].filter((part) => part !== '');
  return {
    text: `${address.replace(/^.*\]\./, '')}  ${about.join(' · ')}`,
    mark: outcome ?? 'interrupted',
    copy: `${open.id}:${address}`,
    inside: () => insideOfStep(open, step),
  };
}

function insideOfStep(open: OpenRun, step: RecordedStep): BrowseNode[] {
  const { attempts, expected, iterations, kept, problem, said, warnings } = step;
  const failed = expected.filter(({ passed }) => !passed);
  return [
    ...failed.flatMap(({ because, condition, got }) => [
      { text: `expected ${condition}`, mark: 'failed', copy: condition },
      { text: `got ${got ?? ''}` },
      ...(because === undefined ? [] : [{ text: `because ${because}` }]),
    ]),
    ...(problem && failed.length === 0
      ? [{ text: problem.message, mark: 'problem', copy: problem.code }]
      : []),
    ...(problem?.hint === undefined ? [] : [{ text: `hint ${problem.hint}` }]),
    ...warnings.map(({ message }) => ({ text: message, mark: 'warning' })),
    ...[...kept].map(([name, { value }]) => ({ text: `${name}: ${value}`, mark: 'kept', copy: value })),
    ...said.map((text) => ({ text, mark: 'shows', copy: text })),
    ...step.steps.map((inner) => nodeOfStep(open, inner)),
    ...iterations.map((iteration) => nodeOfIteration(open, step, iteration)),
    ...(attempts.length === 1
      ? insideOfAttempt(open, attempts[0]!)
      : attempts.map((attempt, i) => nodeOfAttempt(open, attempt, i))),
    ...expected
      .filter(({ passed }) => passed)
      .map(({ condition }) => ({ text: condition, mark: 'passed', copy: condition })),
  ];
}

function nodeOfIteration(open: OpenRun, loop: RecordedStep, iteration: RecordedIteration): BrowseNode {
  const { elapsed, item, outcome, problem, steps, title } = iteration;
  const name = title ?? item ?? '';
  return {
    text: `[${iteration.iteration}] ${name}  ${timeWords(elapsed)}${problem ? ` · ${problem.message}` : ''}`,
    mark: outcome ?? 'interrupted',
    copy: `${open.id}:${loop.address}[${iteration.iteration}]`,
    inside: () => steps.map((step) => nodeOfStep(open, step)),
  };
}

function nodeOfAttempt(open: OpenRun, attempt: RecordedAttempt, i: number): BrowseNode {
  const { failed, response, sent } = attempt;
  const what = sent.page === undefined ? `attempt ${i + 1}` : `page ${sent.page}`;
  const came = response
    ? `${response.status} · ${timeWords(response.elapsed)}`
    : (failed?.problem.message ?? 'no response');
  return { text: `${what}  ${came}`, inside: () => insideOfAttempt(open, attempt) };
}

function insideOfAttempt(open: OpenRun, { failed, response, sent }: RecordedAttempt): BrowseNode[] {
  return [
    {
      text: `request  ${sent.method} ${sent.url}`,
      copy: sent.url,
      inside: () => [...fieldsOf(sent.headers), ...bodyOf(open, sent)],
    },
    ...(response
      ? [
          {
            text: `response  ${response.status} · ${timeWords(response.elapsed)} · ${response.body.type ?? 'no content type'}, ${sizeWords(response.body.size)}`,
            copy: String(response.status),
            inside: () => [...fieldsOf(response.headers), ...bodyOf(open, response)],
          },
        ]
      : []),
    ...(failed ? [{ text: failed.problem.message, mark: 'failed', copy: failed.problem.code }] : []),
  ];
}

function fieldsOf(headers: readonly (readonly [string, string])[]): BrowseNode[] {
  if (headers.length === 0) return [];
  return [
    {
      text: `headers, ${headers.length}`,
      inside: () => headers.map(([name, value]) => ({ text: `${name}: ${value}`, copy: value })),
    },
  ];
}

function bodyOf(open: OpenRun, part: { readonly body?: EventBody | undefined }): BrowseNode[] {
  const { body } = part;
  if (!body || body.size === 0) return [];
  const bytes = open.bytes(part);
  if (!bytes) return [{ text: `${sizeWords(body.size)} that were not kept whole` }];
  const text = Buffer.from(bytes).toString('utf8');
  try {
    return [nodeOfValue('body', parseJson(text), '$')];
  } catch {
    return bounded(text.split('\n'), (line) => ({ text: line, copy: line }), 'lines');
  }
}

function bounded<T>(
  all: readonly T[],
  nodeOf: (one: T, i: number) => BrowseNode,
  what: string,
): BrowseNode[] {
  const shown = all.slice(0, MOST).map(nodeOf);
  const more = all.length - shown.length;
  return more > 0 ? [...shown, { text: `and ${more} more ${what}; batharon eval looks at them` }] : shown;
}

function nodeOfValue(name: string, value: Value, path: string): BrowseNode {
  if (Array.isArray(value))
    return {
      text: `${name}  list of ${value.length}`,
      copy: path,
      inside: () => bounded(value, (item, i) => nodeOfValue(`[${i}]`, item, `${path}[${i}]`), 'items'),
    };
  if (isObject(value)) {
    const entries = Object.entries(value);
    return {
      text: `${name}  object of ${entries.length}`,
      copy: path,
      inside: () =>
        bounded(entries, ([key, member]) => nodeOfValue(key, member, path + pathStep(key)), 'members'),
    };
  }
  return { text: `${name}  ${brief(value, 500)}`, copy: path };
}
