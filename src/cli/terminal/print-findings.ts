import type { Finding } from '../../core/chain/source/findings.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import type { Problem } from '../../core/problems.ts';
import type { Terminal } from './terminal.ts';
import { wrap } from './text-width.ts';

/** Prints findings one after the other. What is or looks like a secret in a line is not shown, whatever else is wrong there. */
export function printFindings(
  terminal: Terminal,
  findings: readonly { readonly file: SourceFile; readonly finding: Finding }[],
): void {
  for (const { file, finding } of findings) {
    const secrets = findings.flatMap(({ file: other, finding: { code, place } }) =>
      other === file && code === 'secret-in-plain-text' && place?.line === finding.place?.line
        ? [place!.column]
        : [],
    );
    printProblem(terminal, finding, file, {
      level: finding.level,
      secretFrom: secrets.length > 0 ? Math.min(...secrets) : undefined,
    });
  }
}

/** Prints a problem: what and where, the line with a mark under it, and what to write instead. */
export function printProblem(
  terminal: Terminal,
  problem: Omit<Problem, 'code'> & { readonly code: string },
  file: SourceFile | undefined,
  {
    level = 'problem',
    secretFrom,
  }: { readonly level?: Finding['level'] | undefined; readonly secretFrom?: number | undefined } = {},
): void {
  const { colours, width, wrapWidth } = terminal;
  const { place } = problem;
  const where = place ? `${place.file}:${place.line}:${place.column}: ` : '';
  const what =
    level === 'problem' ? colours.red(problem.message) : `${colours.yellow('warning:')} ${problem.message}`;
  const code = colours.dim(` (${problem.code})`);
  terminal.write(`${wrap(`${colours.bold(where)}${what}${code}`, wrapWidth).join('\n')}\n`);
  if (place && file) {
    const whole = file.line(place.line);
    const line = secretFrom === undefined ? whole : `${whole.slice(0, secretFrom - 1)}‹not shown›`;
    const start = Math.max(0, place.column - Math.floor(width / 2));
    const shown = line.slice(start, start + width - 6).replace(/\t/g, ' ');
    terminal.write(
      `    ${colours.dim(shown)}\n    ${' '.repeat(place.column - 1 - start)}${colours.bold('^')}\n`,
    );
  }
  if (problem.hint !== undefined) {
    const [first = '', ...rest] = wrap(problem.hint, wrapWidth - 14);
    terminal.write(
      `    ${colours.cyan('hint:')} ${first}\n${rest.map((line) => `          ${line}\n`).join('')}`,
    );
  }
  terminal.write('\n');
}
