import type { Finding } from '../core/chain/findings.ts';
import type { SourceFile } from '../core/chain/source.ts';
import type { Problem } from '../core/problems.ts';
import { type Terminal, wrap } from './terminal.ts';

/** Prints a problem: what and where, the line with a mark under it, and what to write instead. */
export function printProblem(
  terminal: Terminal,
  problem: Problem,
  file: SourceFile | undefined,
  level: Finding['level'] = 'problem',
): void {
  const { colours, width, wrapWidth } = terminal;
  const { place } = problem;
  const where = place ? `${place.file}:${place.line}:${place.column}: ` : '';
  const what =
    level === 'problem' ? colours.red(problem.message) : `${colours.yellow('remark:')} ${problem.message}`;
  terminal.write(`${wrap(`${colours.bold(where)}${what}`, wrapWidth).join('\n')}\n`);
  if (place && file) {
    const line = file.line(place.line);
    const start = Math.max(0, place.column - Math.floor(width / 2));
    const shown = line.slice(start, start + width - 6).replace(/\t/g, ' ');
    terminal.write(
      `    ${colours.dim(shown)}\n    ${' '.repeat(place.column - 1 - start)}${colours.bold('^')}\n`,
    );
  }
  if (problem.instead !== undefined) {
    const [first = '', ...rest] = wrap(problem.instead, wrapWidth - 14);
    terminal.write(
      `    ${colours.cyan('instead:')} ${first}\n${rest.map((line) => `             ${line}\n`).join('')}`,
    );
  }
  terminal.write(`    ${colours.dim(`(${problem.code})`)}\n`);
}
