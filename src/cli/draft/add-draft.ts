import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { countOf } from '../../core/count-of.ts';
import { readChain } from '../../core/chain/read/read-chain.ts';
import type { Project } from '../../core/chain/project.ts';
import { readProject } from '../../core/chain/read/read-project.ts';
import { fail } from '../../core/problems.ts';
import { addEntry, addKeep, addStep } from '../../import/add-to-file.ts';
import type { Draft } from '../../import/draft.ts';
import { finished } from '../../import/to-step.ts';
import { LockedStore } from '../../api/locked-secrets.ts';
import { CHAIN_ENDING, findProjectFile, PROJECT_FILE } from '../../api/load.ts';
import { printFindings } from '../terminal/print-findings.ts';
import { errorTerminal } from '../terminal/terminal.ts';

/**
 * Adds a draft to a chain file, which is made where it is missing, and to its project file. Nothing is written unless both
 * read as well as before. Keys in it are locked.
 */
export async function writeDraft(
  draft: Draft,
  project: Project,
  path: string,
  { title, isOneOfMany = false }: { readonly title: string; readonly isOneOfMany?: boolean },
): Promise<void> {
  if (!path.endsWith(CHAIN_ENDING))
    fail('wrong-form', `${path} is no chain file: its name ends in ${CHAIN_ENDING}`, {
      hint: `--add ${path.replace(/\.[^./]*$/, '')}${CHAIN_ENDING}`,
    });
  const projectPath =
    project.file === undefined ? join(dirname(resolve(path)), PROJECT_FILE) : resolve(project.file);
  const before = { chain: textOf(path), project: textOf(projectPath) };
  const after = {
    chain: withStep(path, before.chain ?? newChain(title, draft), draft),
    project: withProject(projectPath, before.project ?? '', draft),
  };
  const findings = problemsAfter(projectPath, path, after);
  if (findings.length > problemsBefore(projectPath, path, before)) {
    printFindings(errorTerminal(), findings);
    fail('cannot-add', `with this step ${path} would not hold together; nothing was written`, {
      hint: 'without --add it is printed, to be put in by hand',
    });
  }
  for (const [name, { value }] of draft.secrets)
    if (value !== undefined) await new LockedStore(dirname(projectPath), process.env).setSecret(name, value);
  if (after.project !== (before.project ?? '')) writeFileSync(projectPath, after.project);
  writeFileSync(path, after.chain);
  report(draft, path, projectPath, { before, isOneOfMany });
}

/**
 * Puts picked values under `keep` of a step of a chain file: `name=expression` each. Nothing is written unless the file
 * reads as well as before.
 */
export function keepInFile(path: string, step: string, picks: readonly string[], project: Project): void {
  const before = textOf(path) ?? fail('file-not-found', `there is no file ${path}`);
  const after = picks.reduce((text, pick) => {
    const [name, expression] = pickOf(pick);
    return addKeep(path, text, step, { name, expression });
  }, before);
  const problems = (text: string) => {
    const { file, findings } = readChain(path, text, project);
    return findings
      .filter(({ level, code }) => level === 'problem' && code !== 'file-not-found')
      .map((finding) => ({ file, finding }));
  };
  const found = problems(after);
  if (found.length > problems(before).length) {
    printFindings(errorTerminal(), found);
    fail('cannot-add', `with this ${path} would not hold together; nothing was written`);
  }
  writeFileSync(path, after);
  for (const pick of picks)
    errorTerminal().write(
      `${errorTerminal().colours.green('added')}   keep ${pickOf(pick).join(': ')} to ${step} in ${path}\n`,
    );
}

/** `name=expression`. */
export function pickOf(pick: string): [name: string, expression: string] {
  const [, name, expression] = /^([A-Za-z][A-Za-z0-9_]*)=(.+)$/s.exec(pick) ?? [];
  if (name === undefined || expression === undefined)
    return fail('wrong-form', `--keep ${pick} is not name=expression`, {
      hint: "--keep id='$.pieces[0].id'",
    });
  return [name, expression];
}

function textOf(path: string): string | undefined {
  return existsSync(path) ? readFileSync(path, 'utf8') : undefined;
}

/** A chain file to begin with; what a person gives stands above the steps. */
function newChain(title: string, { inputs }: Draft): string {
  return `chain: ${JSON.stringify(title)}\n${inputs.size > 0 ? '\ninputs:\n' : ''}\nsteps:\n`;
}

function withStep(path: string, text: string, draft: Draft): string {
  const known = /^inputs:/m.test(text) ? text : '';
  const inputs = [...draft.inputs].filter(([name]) => !new RegExp(`^ +${name}:`, 'm').test(known));
  const withInputs = inputs.reduce(
    (all, [name, lines]) => addEntry(path, all, 'inputs', { name, lines }),
    text,
  );
  const withSteps = addStep(path, withInputs, finished(draft.step));
  return [...(draft.results ?? [])].reduce(
    (all, [name, lines]) => addEntry(path, all, 'results', { name, lines }),
    withSteps,
  );
}

function withProject(path: string, text: string, draft: Draft): string {
  const secrets = [...draft.secrets].map(([name, { source }]) => [name, [source]] as const);
  const sections = [
    ['services', draft.services],
    ['credentials', draft.credentials],
    ['secrets', secrets],
  ] as const;
  return sections.reduce(
    (all, [key, entries]) =>
      [...entries].reduce((written, [name, lines]) => addEntry(path, written, key, { name, lines }), all),
    text,
  );
}

interface Texts {
  readonly chain: string | undefined;
  readonly project: string | undefined;
}

function problemsAfter(projectPath: string, path: string, { chain, project }: Texts) {
  const read = readProject(projectPath, project ?? '', undefined, false);
  const result = readChain(path, chain ?? '', read.project);
  return [read, result].flatMap(({ file, findings }) =>
    findings
      .filter(({ level, code }) => level === 'problem' && code !== 'file-not-found')
      .map((finding) => ({ file, finding })),
  );
}

function problemsBefore(projectPath: string, path: string, texts: Texts): number {
  return texts.chain === undefined ? 0 : problemsAfter(projectPath, path, texts).length;
}

function report(
  draft: Draft,
  path: string,
  projectPath: string,
  { before, isOneOfMany }: { readonly before: Texts; readonly isOneOfMany: boolean },
): void {
  const terminal = errorTerminal();
  const { colours } = terminal;
  const calls = finished(draft.step).filter((line) => line.startsWith('- '));
  const what = calls.length > 1 ? countOf(calls.length, 'step') : calls[0]!.replace(/^- (?:call: )?/, '');
  terminal.write(
    `${colours.green('added')}   ${what} to ${path}${before.chain === undefined ? ', a new file' : ''}\n`,
  );
  const parts = [
    ...[...draft.services.keys()].map((name) => `the service ${name}`),
    ...[...draft.credentials.keys()].map((name) => `the credential ${name}`),
    ...[...draft.secrets].map(([name, { source, value }]) =>
      value === undefined
        ? `the secret ${name} (from ${source.replace(/^env /, 'the variable ')})`
        : `the secret ${name} (its key is locked)`,
    ),
  ];
  if (parts.length > 0)
    terminal.write(
      `        to ${relativeName(projectPath)}${before.project === undefined ? ', a new file' : ''}: ${parts.join(', ')}\n`,
    );
  printNotes(draft);
  if (isOneOfMany) return;
  const steps = /name: (\w+)/.exec(finished(draft.step).join('\n'))?.[1];
  terminal.write(`\nNext: batharon ${steps === undefined ? `run ${path}` : `try ${path} ${steps}`}\n`);
}

function relativeName(path: string): string {
  return findProjectFile(process.cwd()) === path ? PROJECT_FILE : path;
}

/** What could not be carried over, a line each. */
export function printNotes({ notes }: Draft): void {
  const terminal = errorTerminal();
  if (notes.length > 0) terminal.write('\n');
  for (const note of notes)
    terminal.write(`${terminal.colours.yellow('warning'.padEnd(8))}not carried over: ${note}\n`);
}
