import { whichStep } from '../core/record/step-words.ts';
import { gzipSync } from 'node:zlib';
import type { EventBody } from '../core/events.ts';
import { fromUtf8 } from '../core/language/encodings.ts';
import type { RecordedAttempt, RecordedStep, RecordedIteration } from '../core/record/recorded-run.ts';
import { rowWords } from '../core/record/row-words.ts';
import type {
  PageBody,
  PageData,
  PageProblem,
  PageRequest,
  PageRun,
  PageStep,
  PageIteration,
} from './page/data.ts';
import style from './page/style.css';
import script from 'browser:./page/main.ts';
import { sequenceOfRun } from '../drawing/from-run.ts';
import { folded } from '../drawing/sequence.ts';
import { svg } from '../drawing/svg.ts';
import { allSteps, failureLines, outcomeWords, type ReportSource } from './report-source.ts';

/** How much of one body stands in a report, and of all of them, in characters. */
const LONGEST_BODY = 256 * 1024;
const LONGEST_SUM = 24 * 1024 * 1024;
/** So many lines a sequence diagram has at most. */
const DRAWN = 120;
/** A loop with more iterations than that has the steps of some of them only: of those that failed, the slowest, and the first. */
const WHOLE_ITERATIONS = 4000;
const SHARE = WHOLE_ITERATIONS / 4;
/** How large a picture may be, in bytes. */
const LARGEST_PICTURE = 200_000;

/** Runs as one page of HTML that needs no network: data and program are in it, and nothing is loaded. */
export function html(sources: readonly ReportSource[]): string {
  const maker = new Maker();
  const data: PageData = { runs: sources.map((source) => maker.run(source)) };
  const packed = gzipSync(JSON.stringify(data), { level: 6 }).toString('base64');
  const title = sources.map(({ run }) => run.chain).join(', ');
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:">
<title>${escaped(title)}</title>
<style>${style}</style>
</head>
<body>
<div id="page" aria-busy="true"></div>
<noscript><pre>${escaped(plain(sources))}</pre></noscript>
<script type="application/octet-stream" id="data">${packed}</script>
<script>${script.replace(/<\/(script)/gi, '<\\/$1')}</script>
</body>
</html>
`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (char) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[char] ?? '&quot;');
}

/** For whoever lets no page run a program: how each run ended, and what failed. */
function plain(sources: readonly ReportSource[]): string {
  return sources
    .flatMap(({ run }) => [
      `${run.chain}: ${outcomeWords(run)} (run ${run.id})`,
      ...[...allSteps(run)]
        .filter(({ outcome, problem }) => outcome === 'failed' && problem)
        .slice(0, 20)
        .flatMap((step) => ['', `failed  ${whichStep(step)}`, ...failureLines(step, run)]),
    ])
    .join('\n');
}

/** Makes the data of the page; counts what the bodies take. */
class Maker {
  #left = LONGEST_SUM;

  run(source: ReportSource): PageRun {
    const { run } = source;
    const step = (one: RecordedStep): PageStep => stepOf(one, (part) => this.#bodyOf(part, source));
    const { at, calls, chain, elapsed, environment, file, id, inputs, problem, results, resumed } = run;
    return {
      id,
      chain,
      file,
      ...(environment === undefined ? {} : { environment }),
      services: run.services,
      drawing: svg(folded(sequenceOfRun(run), DRAWN)),
      at,
      outcome: run.outcome === 'unfinished' ? 'interrupted' : run.outcome,
      elapsed,
      calls,
      resumed,
      ...(problem ? { problem: problemOf(problem) } : {}),
      inputs,
      results,
      steps: run.steps.map(step),
      undo: run.undo.map(step),
      cleanup: run.cleanup.map(step),
    };
  }

  #bodyOf(part: { readonly body?: EventBody | undefined }, source: ReportSource): PageBody | undefined {
    const { body } = part;
    if (!body) return undefined;
    const { size, type } = body;
    const base = { size, ...(type === undefined ? {} : { type }) };
    if (body.text === undefined) {
      if (!/^image\/(?:png|jpeg|gif|webp)$/.test(type ?? '') || size > LARGEST_PICTURE) return base;
      const picture = source.bytes(part);
      return picture ? { ...base, picture: Buffer.from(picture).toString('base64') } : base;
    }
    const whole = body.cut ? this.#whole(part, source) : body.text;
    this.#left -= (whole ?? body.text).length;
    return whole === undefined ? { ...base, text: body.text, cut: true } : { ...base, text: whole };
  }

  #whole(part: { readonly body?: EventBody | undefined }, source: ReportSource): string | undefined {
    if (part.body!.size > Math.min(LONGEST_BODY, this.#left)) return undefined;
    const found = source.bytes(part);
    return found && fromUtf8(found);
  }
}

type BodyOf = (part: { readonly body?: EventBody | undefined }) => PageBody | undefined;

function stepOf(step: RecordedStep, body: BodyOf): PageStep {
  const { address, began, elapsed, expected, from, kept, outcome, problem, reason } = step;
  const { file, line, column } =
    (expected.find(({ passed, place }) => !passed && place) ?? problem ?? began).place ?? began.place;
  const own = /(?:^|\.)([A-Za-z_]\w*)$/.exec(address)?.[1];
  const notes = [
    ...step.signIns.map(({ credential, kind }) => ['signed in', `as ${credential} (${kind})`] as const),
    ...(step.states === undefined ? [] : [['states', step.states] as const]),
    ...(step.pages ? [['pages', `${step.pages.page}, ${step.pages.gathered} items`] as const] : []),
    ...step.saved.map(({ path, size }) => ['saved', `${path}, ${size} bytes`] as const),
    ...(step.row ? [['row', `${rowWords(step.row)}: ${step.row.row}`] as const] : []),
    ...step.arrived.map(
      ({ answered, method, url }) => ['arrived', `${method} ${url}, answered with ${answered}`] as const,
    ),
    ...step.said.map((text) => ['shows', text] as const),
    ...step.warnings.map(({ message }) => ['warning', message] as const),
  ];
  return {
    address,
    name: own ?? began.title,
    type: began.type,
    outcome: outcome ?? 'interrupted',
    from: rounded(from),
    elapsed: rounded(elapsed),
    stands: `${file}:${line}:${column}`,
    ...(reason === undefined ? {} : { reason }),
    ...(problem ? { problem: problemOf(problem) } : {}),
    ...(expected.length > 0
      ? {
          expected: expected.map(({ because, got, condition, passed, hint }) => ({
            condition,
            passed,
            got,
            because,
            hint,
          })),
        }
      : {}),
    ...(kept.size > 0 ? { kept: [...kept].map(([name, { value }]) => [name, value] as const) } : {}),
    ...(notes.length > 0 ? { notes } : {}),
    ...(step.waits.length > 0
      ? {
          waits: step.waits.map((wait) => ({
            from: rounded(wait.from),
            for: wait.event.for,
            why: wait.event.why,
          })),
        }
      : {}),
    ...(step.attempts.length > 0
      ? { requests: step.attempts.map((attempt) => requestOf(attempt, body)) }
      : {}),
    ...(step.steps.length > 0 ? { steps: step.steps.map((inner) => stepOf(inner, body)) } : {}),
    ...(step.iterationsBegan
      ? {
          iterations: iterationsOf(step.iterations, body),
          ...(step.iterationsBegan.of === undefined ? {} : { of: step.iterationsBegan.of }),
        }
      : {}),
  };
}

function iterationsOf(iterations: readonly RecordedIteration[], body: BodyOf): PageIteration[] {
  if (iterations.length <= WHOLE_ITERATIONS) return iterations.map((one) => iterationOf(one, body));
  const slowest = iterations.toSorted((a, b) => b.elapsed - a.elapsed).slice(0, SHARE);
  const failed = iterations.filter(({ outcome }) => outcome !== 'passed').slice(0, 2 * SHARE);
  const whole = new Set([...failed, ...slowest, ...iterations.slice(0, SHARE)]);
  return iterations.map((one): PageIteration =>
    whole.has(one) ? iterationOf(one, body) : { ...iterationOf({ ...one, steps: [] }, body), isBrief: true },
  );
}

function iterationOf(
  { elapsed, from, item, outcome, problem, steps, title, iteration }: RecordedIteration,
  body: BodyOf,
): PageIteration {
  return {
    iteration,
    ...(title === undefined ? (item === undefined ? {} : { item }) : { item: title }),
    outcome: outcome ?? 'interrupted',
    from: rounded(from),
    elapsed: rounded(elapsed),
    ...(problem ? { problem: problemOf(problem) } : {}),
    steps: steps.map((step) => stepOf(step, body)),
  };
}

function requestOf({ response, failed, from, sent }: RecordedAttempt, body: BodyOf): PageRequest {
  const sentBody = body(sent);
  return {
    from: rounded(from),
    method: sent.method,
    url: sent.url,
    headers: sent.headers,
    ...(sentBody && sentBody.size > 0 ? { body: sentBody } : {}),
    ...(sent.delayed === undefined ? {} : { delayed: sent.delayed }),
    ...(sent.page === undefined ? {} : { page: sent.page }),
    ...(response
      ? {
          response: {
            status: response.status,
            headers: response.headers,
            body: body(response)!,
            phases: response.phases as NonNullable<PageRequest['response']>['phases'],
          },
        }
      : {}),
    ...(!response && failed?.partial
      ? {
          response: {
            status: failed.partial.status,
            headers: failed.partial.headers,
            body: body(failed.partial)!,
            phases: failed.phases as NonNullable<PageRequest['response']>['phases'],
          },
        }
      : {}),
    elapsed: rounded(response?.elapsed ?? failed?.elapsed ?? 0),
    ...(failed ? { problem: problemOf(failed.problem) } : {}),
  };
}

function problemOf({ code, hint, message }: PageProblem): PageProblem {
  return { code, message, hint };
}

function rounded(milliseconds: number): number {
  return Math.round(milliseconds * 10) / 10;
}
