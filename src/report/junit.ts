import { whichStep } from '../core/record/step-words.ts';
import { Document, type Element, serializeToWellFormedString } from 'slimdom';
import type { RecordedRun, RecordedStep, RecordedIteration } from '../core/record/recorded-run.ts';
import { failureLines, isIncomplete, type ReportSource, seconds } from './report-source.ts';

/** A case of a test suite: a step, or an iteration of a loop. */
interface Case {
  readonly name: string;
  readonly time: number;
  readonly skipped?: string;
  readonly wrong?: {
    readonly as: 'failure' | 'error';
    readonly type: string;
    readonly message: string;
    readonly text: string;
  };
  readonly said?: string;
}

/** JUnit XML: a suite for each run, a case for each step and each iteration of a loop. */
export function junit(sources: readonly ReportSource[]): string {
  const document = new Document();
  const root = document.createElement('testsuites');
  root.setAttribute('name', 'batharon');
  document.appendChild(root);
  let [tests, failures, errors] = [0, 0, 0];
  sources.forEach(({ run }, id) => {
    const cases = casesOf(run);
    const count = (as: 'failure' | 'error'): number => cases.filter(({ wrong }) => wrong?.as === as).length;
    tests += cases.length;
    failures += count('failure');
    errors += count('error');
    const suite = element(document, root, 'testsuite', {
      attributes: {
        name: run.chain,
        package: run.file,
        id: String(id),
        hostname: 'localhost',
        timestamp: new Date(run.at).toISOString().slice(0, 19),
        tests: String(cases.length),
        failures: String(count('failure')),
        errors: String(count('error')),
        skipped: String(cases.filter(({ skipped }) => skipped !== undefined).length),
        time: seconds(run.elapsed),
      },
    });
    const properties = element(document, suite, 'properties', { attributes: {} });
    for (const [name, value] of [
      ['run', run.id],
      ...(run.environment === undefined ? [] : [['environment', run.environment]]),
    ])
      element(document, properties, 'property', { attributes: { name: name!, value: value! } });
    for (const one of cases) writeCase(document, suite, run, one);
    element(document, suite, 'system-out', { attributes: {} });
    element(document, suite, 'system-err', { attributes: {} });
  });
  root.setAttribute('tests', String(tests));
  root.setAttribute('failures', String(failures));
  root.setAttribute('errors', String(errors));
  return `<?xml version="1.0" encoding="UTF-8"?>\n${serializeToWellFormedString(document)}\n`;
}

function writeCase(document: Document, suite: Element, { file }: RecordedRun, one: Case): void {
  const found = element(document, suite, 'testcase', {
    attributes: {
      name: one.name,
      classname: file.replace(/\.chain\.yaml$/, '').replaceAll('/', '.'),
      time: seconds(one.time),
    },
  });
  if (one.skipped !== undefined) element(document, found, 'skipped', { attributes: {}, text: one.skipped });
  if (one.wrong) {
    const { as, message, text, type } = one.wrong;
    element(document, found, as, { attributes: { type, message }, text });
  }
  if (one.said !== undefined) element(document, found, 'system-out', { attributes: {}, text: one.said });
}

function element(
  document: Document,
  parent: Element,
  name: string,
  { attributes, text }: { readonly attributes: Record<string, string>; readonly text?: string | undefined },
): Element {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, allowed(value));
  if (text !== undefined) made.appendChild(document.createTextNode(allowed(text)));
  parent.appendChild(made);
  return made;
}

/** A text without the characters that XML 1.0 (section 2.2) does not have. */
function allowed(text: string): string {
  return text.toWellFormed().replace(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '\ufffd');
}

function casesOf(run: RecordedRun): Case[] {
  const cases = [...run.steps, ...run.undo, ...run.cleanup].flatMap((step) => ofStep(step, run));
  if (!run.problem) return cases;
  const { code, message } = run.problem;
  return [...cases, { name: 'the run', time: 0, wrong: { as: 'error', type: code, message, text: message } }];
}

function ofStep(step: RecordedStep, run: RecordedRun): Case[] {
  const { address, elapsed, outcome, reason, said, began } = step;
  const isOuter = began.type === 'group' || began.type === 'follow';
  const inner = [
    ...step.steps.flatMap((one) => ofStep(one, run)),
    ...step.iterations.map((iteration) => ofIteration(iteration, step, run)),
  ];
  // What failed inside stands there.
  if ((isOuter || step.iterationsBegan) && !step.problem && outcome !== 'skipped' && inner.length > 0)
    return inner;
  const { problem } = step;
  const told =
    outcome === 'accepted' && problem
      ? [...said, `failed as accepted, ${problem.code}: ${problem.message}`]
      : said;
  const own: Case = {
    name: /\w$/.test(address) && !/(?:^|\.)\d+$/.test(address) ? address : `${address} ${began.title}`,
    time: elapsed,
    ...(outcome === 'skipped' ? { skipped: reason ?? '' } : {}),
    ...wrongOf(step, run),
    ...(told.length > 0 ? { said: told.join('\n') } : {}),
  };
  return [own, ...deviationsOf(step), ...inner];
}

/** A case for each place at which a call was not as described: a failure where that fails the step. */
function deviationsOf({ expected, warnings }: RecordedStep): Case[] {
  return [...expected, ...warnings].flatMap((event): Case[] => {
    const { deviation } = event;
    if (!deviation) return [];
    const { direction, operation, path, says, status } = deviation;
    const at = path.replace(/\[\d+\]/g, '[]');
    const name = `${operation} ${direction === 'request' ? 'sent' : (status ?? '')} ${at} as described`;
    const message = `${path} ${says}${deviation.described === undefined ? '' : ` (${deviation.described})`}`;
    return [
      event.event === 'warning'
        ? { name, time: 0, skipped: message }
        : { name, time: 0, wrong: { as: 'failure', type: 'not-as-described', message, text: message } },
    ];
  });
}

function wrongOf(step: RecordedStep, run: RecordedRun): Pick<Case, 'wrong'> {
  const { outcome, problem } = step;
  if (outcome === 'passed' || outcome === 'skipped' || outcome === 'accepted') return {};
  const text = failureLines(step, run).join('\n');
  if (!problem || outcome !== 'failed') {
    const message = problem?.message ?? 'the run ended before the step did';
    return { wrong: { as: 'error', type: problem?.code ?? 'interrupted', message, text } };
  }
  return {
    wrong: {
      as: isIncomplete(problem) ? 'error' : 'failure',
      type: problem.code,
      message: problem.message,
      text,
    },
  };
}

function ofIteration(iteration: RecordedIteration, loop: RecordedStep, run: RecordedRun): Case {
  const { item, title } = iteration;
  // A title tells a case from the others even after one is put before it, so the history of a case stays together.
  const name =
    title === undefined
      ? `${loop.address}[${iteration.iteration}]${item === undefined ? '' : ` ${item}`}`
      : `${loop.address}: ${title}`;
  const broken = findFailed(iteration.steps, iteration.failed);
  const { problem } = iteration;
  if (iteration.outcome === 'passed' || iteration.outcome === 'accepted')
    return { name, time: iteration.elapsed };
  const message = problem?.message ?? 'the run ended before the iteration did';
  const text = broken
    ? [`failed     ${whichStep(broken)}`, ...failureLines(broken, run)].join('\n')
    : message;
  const as = problem && iteration.outcome === 'failed' && !isIncomplete(problem) ? 'failure' : 'error';
  return {
    name,
    time: iteration.elapsed,
    wrong: { as, type: problem?.code ?? 'interrupted', message, text },
  };
}

function findFailed(steps: readonly RecordedStep[], address: string | undefined): RecordedStep | undefined {
  for (const step of steps) {
    if (step.address === address) return step;
    const inside = findFailed(
      [...step.steps, ...step.iterations.flatMap((iteration) => iteration.steps)],
      address,
    );
    if (inside) return inside;
  }
  return undefined;
}
