import { readFileSync, writeFileSync } from 'node:fs';
import type { Finding } from '../../core/chain/findings.ts';
import type { SourceFile } from '../../core/chain/source.ts';
import type { ExitCode } from '../../core/events.ts';
import { ProblemError } from '../../core/problems.ts';
import { load, type Loaded } from '../load.ts';
import { printFindings, printProblem } from '../print-findings.ts';
import { errorTerminal } from '../terminal.ts';

/** `batharon check`: prints all problems of all files, in the order of the files. */
export async function check(
  names: readonly string[],
  options: { env?: string; fix?: boolean },
): Promise<ExitCode> {
  const terminal = errorTerminal();
  let loaded: Loaded;
  try {
    loaded = load(names, options.env, false);
    // One mistake hides the next on its line, so it takes as many rounds as a line has mistakes.
    for (let round = 0; options.fix && round < 20; round++) {
      const fixed = fixAll(loaded);
      for (const [path, count] of fixed)
        terminal.write(`${path}: ${count} line${count === 1 ? '' : 's'} written as they should stand\n`);
      if (fixed.size === 0) break;
      loaded = load(names, options.env, false);
    }
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    printProblem(terminal, error.problem, undefined);
    return 2;
  }
  printFindings(terminal, loaded.findings);
  const problems = loaded.findings.filter(({ finding }) => finding.level === 'problem').length;
  const remarks = loaded.findings.length - problems;
  const files = `${loaded.files.length} file${loaded.files.length === 1 ? '' : 's'}`;
  const notes = remarks === 0 ? '' : `, ${remarks} remark${remarks === 1 ? '' : 's'}`;
  const { colours } = terminal;
  if (problems === 0) terminal.write(`${colours.green(`${files} checked, no problems${notes}.`)}\n`);
  else
    terminal.write(
      `${colours.red(`${problems} problem${problems === 1 ? '' : 's'}${notes} in ${files}.`)}\n`,
    );
  return problems === 0 ? 0 : 2;
}

/** Writes the changes that mend what YAML misreads; gives the number of changes by path. */
function fixAll({ findings }: Loaded): Map<string, number> {
  const byFile = new Map<SourceFile, NonNullable<Finding['fix']>[]>();
  for (const { file, finding } of findings)
    if (finding.fix) byFile.set(file, [...(byFile.get(file) ?? []), finding.fix]);
  for (const [file, fixes] of byFile) {
    let text = readFileSync(file.path, 'utf8');
    for (const { range, text: written } of fixes.toSorted((a, b) => b.range[0] - a.range[0]))
      text = text.slice(0, range[0]) + written + text.slice(range[1]);
    writeFileSync(file.path, text);
  }
  return new Map([...byFile].map(([file, fixes]) => [file.path, fixes.length]));
}
