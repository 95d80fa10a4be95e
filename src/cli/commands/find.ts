import { resolve } from 'node:path';
import { countOf } from '../../core/count-of.ts';
import type { Project } from '../../core/chain/project.ts';
import { nameList } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { keepInFile } from '../draft/add-draft.ts';
import type { ExitCode, EventOf } from '../../core/events.ts';
import { brief } from '../../core/language/show.ts';
import { numberText } from '../../core/language/numbers.ts';
import { isNumeric, isObject, type Maybe, type Value } from '../../core/language/values.ts';
import { parsePath, pathStep, scalarsOf } from '../project/jsonpath-text.ts';
import type { RecordedStep } from '../../core/record/recorded-run.ts';
import type { Records } from '../../api/record-types.ts';
import { responseOf, nameOfStep, OpenRun } from '../../api/open-run.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { agoWords } from '../records/ago-words.ts';
import { errorTerminal, outputTerminal } from '../terminal/terminal.ts';
import { pad, fit, widthOf } from '../terminal/text-width.ts';

export interface FindOptions {
  readonly add?: readonly string[];
}

interface Found {
  readonly path: string;
  readonly value: Value;
  readonly exact: boolean;
  /** A path that finds it by something else than its place. */
  readonly by?: string;
}

/** Finds in one response that are shown. */
const MOST = 8;

/** `batharon find TEXT`: where a value stands in recorded responses, and the path to write in a chain. */
export function find(text: string, { add }: FindOptions): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const place = add && placeToKeep(add);
    const runs = latestRuns(recordsOf(project));
    if (runs.length === 0) {
      errorTerminal().write('No run is recorded here yet: batharon run, or batharon send.\n');
      return 2;
    }
    let responses = 0;
    const all: { open: OpenRun; step: RecordedStep; found: Found[] }[] = [];
    for (const open of runs)
      for (const step of open.steps()) {
        const response = responseOf(step);
        if (!response) continue;
        responses++;
        const found = [
          ...findIn(response, await open.readValue(response), text),
          ...(await findInXml(response, open.text(response), text)),
        ];
        if (found.length > 0) all.push({ open, step, found });
      }
    if (place) return keepFound(all, text, place, project);
    const exactOnly = all.some(({ found }) => found.some(({ exact }) => exact));
    let count = 0;
    for (const { open, step, found } of all) {
      const wanted = found.filter(({ exact }) => exact || !exactOnly);
      if (wanted.length === 0) continue;
      if (count > 0) outputTerminal().write('\n');
      count += wanted.length;
      print(open, step, wanted);
    }
    if (count > 0) return 0;
    errorTerminal().write(
      `'${text}' occurs in none of the ${responses} recorded responses. Secrets are recorded masked, and can't be found.\n`,
    );
    return 1;
  });
}

/** The latest run of each chain, and what was sent without one. */
function latestRuns(records: Records): OpenRun[] {
  const files = new Set<string>();
  const found: OpenRun[] = [];
  for (const summary of records.list()) {
    if ('unreadable' in summary || files.has(summary.file)) continue;
    // A part of a chain does not stand for the whole.
    if (!summary.part) files.add(summary.file);
    found.push(OpenRun.read(records, summary.run));
  }
  return found;
}

/** `FILE STEP NAME`. */
function placeToKeep(words: readonly string[]): { file: string; wanted: string; name: string } {
  const [file, wanted, name] = words;
  if (words.length !== 3 || file === undefined || wanted === undefined || name === undefined)
    return fail('wrong-form', '--add says where it is kept: FILE STEP NAME', {
      hint: "batharon find 'moon jar' --add glazed.chain.yaml rack jar",
    });
  return { file, wanted, name };
}

/** Writes the path of what was found as a `keep` of the step. Throws `no-record` where the step has not got it. */
function keepFound(
  all: readonly { readonly open: OpenRun; readonly step: RecordedStep; readonly found: readonly Found[] }[],
  text: string,
  { file, name, wanted }: { readonly file: string; readonly wanted: string; readonly name: string },
  project: Project,
): ExitCode {
  const own = all.find(
    ({ open, step }) =>
      resolve(open.run.file) === resolve(file) && (nameOfStep(step) === wanted || step.address === wanted),
  );
  const found = own?.found.find(({ exact }) => exact) ?? own?.found[0];
  if (!own || !found) {
    const elsewhere = all.map(({ step }) => nameOfStep(step) ?? step.address);
    fail('no-record', `'${text}' occurs in no recorded response of ${wanted} in ${file}`, {
      hint:
        elsewhere.length > 0
          ? `it occurs in ${nameList([...new Set(elsewhere)])}`
          : `batharon run ${file}, whose responses are looked through then`,
    });
  }
  const others = own.found.filter((one) => one.exact === found.exact).length - 1;
  if (others > 0)
    errorTerminal().write(
      `It occurs in ${countOf(others, 'other place')} of this response as well; batharon find ${JSON.stringify(text)} lists them.\n`,
    );
  keepInFile(file, wanted, [`${name}=${found.path}`], project);
  return 0;
}

function findIn(response: EventOf<'response-received'>, body: Maybe, text: string): Found[] {
  const found: Found[] = [];
  const lower = text.toLowerCase();
  const match = (path: string, value: Value): void => {
    const own = isNumeric(value)
      ? numberText(value)
      : typeof value === 'string'
        ? value
        : JSON.stringify(value);
    if (own === text) found.push({ path, value, exact: true, ...byOther(body, path) });
    else if (own.toLowerCase().includes(lower)) found.push({ path, value, exact: false });
  };
  if (body !== undefined && !(body instanceof Uint8Array))
    for (const [path, value] of scalarsOf(body)) match(path, value);
  for (const [name, value] of response.headers) match(`headers${pathStep(name)}`, value);
  return found;
}

/** The same in a document of XML. */
async function findInXml(
  { body: { type } }: EventOf<'response-received'>,
  body: string | undefined,
  text: string,
): Promise<Found[]> {
  if (body === undefined || type === undefined || !/[/+]xml$/.test(type)) return [];
  const { xmlPaths, xpathExpression } = await import('../../api/xml-paths.ts');
  const document = xmlPaths(body, { isWhole: true });
  return (document?.paths ?? []).flatMap(({ path, text: own }): Found[] =>
    own.toLowerCase().includes(text.toLowerCase())
      ? [{ path: xpathExpression(path, document!.namespaces), value: own, exact: own === text }]
      : [],
  );
}

/** For an item of a list of objects: a filter by a member that names it, which still holds when the order changes. */
function byOther(body: Value | undefined, path: string): { by?: string } {
  const keys = parsePath(path);
  const index = keys.findLastIndex((part) => typeof part === 'number');
  if (index < 0 || index !== keys.length - 2 || body === undefined) return {};
  const list = keys.slice(0, index).reduce<Value | undefined>((at, part) => stepInto(at, part), body);
  const item = Array.isArray(list) ? list[keys[index] as number] : undefined;
  if (!Array.isArray(list) || !isObject(item) || list.length < 2) return {};
  const wanted = keys.at(-1) as string;
  const naming = Object.entries(item).find(
    ([name, value]) =>
      name !== wanted &&
      typeof value === 'string' &&
      value.length < 60 &&
      !value.includes("'") &&
      list.filter((other) => isObject(other) && other[name] === value).length === 1,
  );
  if (!naming) return {};
  const before = keys
    .slice(0, index)
    .map((part) => (typeof part === 'number' ? `[${part}]` : pathStep(part)))
    .join('');
  return { by: `first($${before}[?@${pathStep(naming[0])} == ${brief(naming[1])}])${pathStep(wanted)}` };
}

function stepInto(value: Value | undefined, part: string | number): Value | undefined {
  if (Array.isArray(value)) return typeof part === 'number' ? value[part] : undefined;
  return isObject(value) && typeof part === 'string' ? value[part] : undefined;
}

function print({ run }: OpenRun, step: RecordedStep, found: readonly Found[]): void {
  const terminal = outputTerminal();
  const { colours, width, wrapWidth } = terminal;
  const name = nameOfStep(step);
  const sent = step.attempts.at(-1)?.sent;
  const where = run.file === 'send' ? 'the last request that was sent' : run.file;
  terminal.write(
    `${colours.bold(name ?? step.address)}  ${colours.dim(`${sent ? `${sent.method} ${sent.url.replace(/\?.*$/, '')}` : ''} · ${where}, ${agoWords(Date.now() - run.lastAt)}`)}\n`,
  );
  const shown = found.slice(0, MOST);
  const column = Math.min(Math.max(...shown.map(({ path }) => widthOf(path))), Math.floor(width * 0.6));
  for (const { path, value, by } of shown) {
    const right = brief(value, 200);
    terminal.write(
      `  ${colours.cyan(pad(path, column))}  ${wrapWidth === Infinity ? right : fit(right, width - Math.max(column, widthOf(path)) - 4)}\n`,
    );
    if (by !== undefined) terminal.write(`  ${colours.dim('or')} ${by}\n`);
  }
  if (found.length > MOST) terminal.write(colours.dim(`  and ${found.length - MOST} more\n`));
  const [first] = shown;
  if (first && name !== undefined && !step.address.includes('[') && run.file !== 'send')
    terminal.write(colours.dim(`  in a later step: ${laterPath(name, first.path)}\n`));
}

function laterPath(name: string, path: string): string {
  return path.startsWith('$') ? `${name}.body${path.slice(1)}` : `${name}.${path}`;
}
