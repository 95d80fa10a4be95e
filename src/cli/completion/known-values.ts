import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { stepsIn, type Step } from '../../core/chain/model.ts';
import { topics } from '../../core/explain/topics.ts';
import { SCHEMA_FILES } from '../../core/schema/file-schema.ts';
import { CHAIN_ENDING, load, loadProject } from '../../api/load.ts';
import { OpenRun } from '../../api/open-run.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { CONTRACTS } from '../../core/contract/description.ts';
import { IMPORT_FORMS } from '../../import/index.ts';
import type { Asked, Candidate } from './candidates.ts';
import { SCRIPTS } from './scripts.ts';

/** So many runs are offered, the latest ones. */
const RUNS = 20;

/** So many files are looked at. */
const FILES = 2000;

const plain = (words: readonly string[], about = ''): Candidate[] => words.map((word) => ({ word, about }));

/** What may stand where a value is asked for. Nothing is sent, asked or run for it, and no secret is read. */
export function valuesOf(asked: Asked): readonly Candidate[] {
  const source =
    SOURCES[`${asked.command} ${asked.name}`] ??
    (asked.option === undefined ? undefined : SOURCES[asked.option]) ??
    (asked.option === undefined ? SOURCES[asked.name] : SOURCES[`<${asked.name}>`]);
  return source?.(asked) ?? [];
}

type Source = (asked: Asked) => readonly Candidate[];

const chains: Source = ({ word }) => plain(chainFiles(word));
const runs: Source = () => [{ word: 'last', about: 'the latest run' }, ...recordedRuns()];
const places: Source = ({ word }) =>
  word.includes(':')
    ? stepsOfRun(word)
    : [...runs({} as Asked), ...recordedRuns().map(({ word: run, about }) => ({ word: `${run}:`, about }))];
const project = () => loadProject(undefined, false).project;
const environments: Source = () => plain(project().environments, 'environment');
const credentials: Source = () =>
  [...project().credentials.values()].map(({ name, kind }) => ({ word: name, about: kind }));
const secrets: Source = () =>
  [...project().secrets.values()].map(({ name, from }) => ({ word: name, about: from }));

const tags: Source = () =>
  plain([...new Set(load(['.'], undefined, false).chains.flatMap(({ tags }) => tags))]);

/** By the command and its argument, by the option, or by the name of an argument; `<…>` for that of an option's value. */
const SOURCES: Readonly<Record<string, Source>> = {
  file: chains,
  files: chains,
  run: runs,
  runs,
  before: runs,
  after: runs,
  where: places,
  credential: credentials,
  'try step': stepsOfFile,
  '<step>': stepsOfFile,
  'draw what': (asked) => [...chains(asked), ...runs(asked)],
  'explain words': () => topics().map(({ word, what }) => ({ word, about: what })),
  'calls service': () =>
    [...project().services.values()].flatMap(({ description, name }) =>
      description ? [{ word: name, about: description.from }] : [],
    ),
  'export form': () => plain(['arazzo']),
  '--contract': () => plain(CONTRACTS),
  'import form': () => plain(IMPORT_FORMS),
  'completion shell': () => plain(Object.keys(SCRIPTS)),
  'schema file': () => plain(SCHEMA_FILES),
  'secret set name': secrets,
  'secret remove name': secrets,
  '--env': environments,
  '--tag': tags,
  '--not-tag': tags,
  '--outcome': () => plain(['passed', 'failed', 'interrupted']),
  '--add': chains,
  '<run>': runs,
  '<run:step>': places,
  '<credential>': credentials,
};

/** Chain files below the folder that a word names, by their paths as a person would go on typing. */
function chainFiles(word: string): string[] {
  const folder = word.slice(0, word.lastIndexOf('/') + 1);
  const found: string[] = [];
  let looked = 0;
  const visit = (path: string): void => {
    for (const entry of readdirSync(path === '' ? '.' : path, { withFileTypes: true })) {
      if (looked++ > FILES) return;
      if (entry.name.startsWith('.') || entry.name === 'node_modules') continue;
      if (entry.isDirectory()) visit(`${join(path, entry.name)}/`);
      else if (entry.name.endsWith(CHAIN_ENDING)) found.push(path + entry.name);
    }
  };
  visit(folder);
  return found.sort();
}

function recordedRuns(): Candidate[] {
  const found: Candidate[] = [];
  for (const summary of recordsOf(project()).list()) {
    if (!('unreadable' in summary))
      found.push({ word: summary.run, about: `${summary.outcome}, ${summary.chain}` });
    if (found.length === RUNS) break;
  }
  return found;
}

/** The steps of the run before the colon: `last:load`. */
function stepsOfRun(word: string): Candidate[] {
  const run = word.slice(0, word.indexOf(':'));
  const records = recordsOf(project());
  const open = OpenRun.read(records, records.find(run), (address) => !address.includes('['));
  return [...open.steps()].map((step) => ({
    word: `${run}:${step.address}`,
    about: step.began.title,
  }));
}

/** The steps of the chain file that stands on the line. */
function stepsOfFile({ given }: Asked): Candidate[] {
  const file = given.find((one) => one.endsWith(CHAIN_ENDING));
  if (file === undefined) return [];
  const all = (steps: readonly Step[]): Step[] => steps.flatMap((step) => [step, ...all(stepsIn(step))]);
  return load([file], undefined, false)
    .chains.flatMap(({ steps }) => all(steps))
    .flatMap((step) => (step.name === undefined ? [] : [{ word: step.name, about: step.title }]));
}
