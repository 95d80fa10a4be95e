import type { Command } from 'commander';
import type { ExitCode } from '../../core/events.ts';
import { fail } from '../../core/problems.ts';
import { nearest } from '../../core/language/nearest.ts';
import { candidatesFor } from '../completion/candidates.ts';
import { SCRIPTS, type Shell } from '../completion/scripts.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { writeData } from '../terminal/terminal.ts';

/**
 * `batharon completion bash|zsh|fish`: the script that completes command lines in a shell. With `--line` it prints what could
 * complete one, which is what the scripts ask.
 */
export function completion(
  shell: string | undefined,
  options: { line?: string },
  program: Command,
): Promise<ExitCode> {
  if (options.line !== undefined) return printCandidates(options.line, program);
  return guarded(() => {
    const shells = Object.keys(SCRIPTS);
    if (shell === undefined || !shells.includes(shell))
      fail(
        'wrong-form',
        shell === undefined ? 'the shell is missing' : `there is no completion for ${shell}`,
        {
          hint: `batharon completion ${nearest(shell ?? '', shells) ?? shells.join(' | ')}`,
        },
      );
    writeData(SCRIPTS[shell as Shell]);
    return Promise.resolve(0);
  });
}

/** A line that can't be completed gets nothing: a person types, and errors would be in the way. */
async function printCandidates(line: string, program: Command): Promise<ExitCode> {
  try {
    const { valuesOf } = await import('../completion/known-values.ts');
    const found = candidatesFor(line, program, valuesOf);
    writeData(found.map(({ word, about }) => `${word}\t${about}\n`).join(''));
  } catch {
    // nothing to complete
  }
  return 0;
}
