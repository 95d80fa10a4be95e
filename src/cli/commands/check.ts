import { countOf } from '../../core/count-of.ts';
import { writeFileSync } from 'node:fs';
import type { ExitCode } from '../../core/events.ts';
import { ProblemError } from '../../core/problems.ts';
import { mend } from '../../core/chain/source/mend.ts';
import { readChain } from '../../core/chain/read/read-chain.ts';
import { readProject } from '../../core/chain/read/read-project.ts';
import { CHAIN_ENDING, load, type Loaded, readNear } from '../../api/load.ts';
import { printFindings, printProblem } from '../terminal/print-findings.ts';
import { errorTerminal } from '../terminal/terminal.ts';

/** `batharon check`: prints all problems of all files, in the order of the files. */
export async function check(
  names: readonly string[],
  options: { env?: string; fix?: boolean },
): Promise<ExitCode> {
  const terminal = errorTerminal();
  let loaded: Loaded;
  try {
    loaded = load(names, options.env, false);
    if (options.fix) {
      for (const [path, count] of fixAll(loaded, options.env))
        terminal.write(`${path}: ${countOf(count, 'line')} written as they should stand\n`);
      loaded = load(names, options.env, false);
    }
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    printProblem(terminal, error.problem, undefined);
    return 2;
  }
  const findings = [...loaded.findings, ...inOtherEnvironments(names, loaded)];
  printFindings(terminal, findings);
  const problems = findings.filter(({ finding }) => finding.level === 'problem').length;
  const warnings = findings.length - problems;
  const files = countOf(loaded.files.length, 'file');
  const notes = warnings === 0 ? '' : `, ${countOf(warnings, 'warning')}`;
  const { colours } = terminal;
  if (problems === 0) terminal.write(`${colours.green(`${files} checked, no problems${notes}.`)}\n`);
  else terminal.write(`${colours.red(`${countOf(problems, 'problem')}${notes} in ${files}.`)}\n`);
  return problems === 0 ? 0 : 2;
}

/** What is found only with what some other environment sets. */
function inOtherEnvironments(names: readonly string[], { findings, project }: Loaded): Loaded['findings'] {
  const key = ({ file, finding }: Loaded['findings'][number]): string =>
    JSON.stringify([file.path, finding.place, finding.message]);
  const seen = new Set(findings.map(key));
  // What YAML can't read is the same in each.
  const broken = new Set(
    findings.flatMap(({ file, finding }) => (finding.code === 'yaml' ? [file.path] : [])),
  );
  return project.environments
    .filter((name) => name !== project.environment)
    .flatMap((name) => load(names, name, false).findings)
    .filter((one) => !broken.has(one.file.path) && !seen.has(key(one)) && seen.add(key(one)));
}

/** Writes the lines that YAML misreads as they should stand; returns how many by path. */
function fixAll({ files, findings, project }: Loaded, environment: string | undefined): Map<string, number> {
  const wanted = new Set(findings.flatMap(({ file, finding }) => ('fix' in finding ? [file] : [])));
  const changed = new Map<string, number>();
  for (const file of files) {
    if (!wanted.has(file)) continue;
    const { text, lines } = mend(file.path, file.text, (attempt) =>
      file.path.endsWith(CHAIN_ENDING)
        ? readChain(file.path, attempt, project, { files: readNear }).findings
        : readProject(file.path, attempt, environment, false).findings,
    );
    if (lines.length === 0) continue;
    writeFileSync(file.path, text);
    changed.set(file.path, lines.length);
  }
  return changed;
}
