import type { Finding } from '../../core/chain/source/finding.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import type { SourceProblem } from '../../core/chain/source/source-problem.ts';
import { withoutPlainSecrets } from '../../core/chain/fields/plain-secrets.ts';
import type { Terminal } from './terminal.ts';
import { wrap } from './text-width.ts';

/** Prints findings one after the other. What is or looks like a secret in a line is not shown, whatever else is wrong there. */
export function printFindings(
  terminal: Terminal,
  findings: readonly { readonly file: SourceFile; readonly finding: Finding }[],
): void {
  const secrets = new Map<string, number>();
  const keyOf = (file: SourceFile, { place }: Finding): string => `${file.path}:${place?.line}`;
  for (const { file, finding } of findings) {
    if (finding.code !== 'secret-in-plain-text' || !finding.place) continue;
    const key = keyOf(file, finding);
    secrets.set(key, Math.min(secrets.get(key) ?? Infinity, finding.place.column));
  }
  for (const { file, finding } of findings)
    printProblem(terminal, finding, file, {
      level: finding.level,
      secretFrom: secrets.get(keyOf(file, finding)),
    });
}

/** What a finding says to do: the line as it should stand, and what that does not say already. */
export function adviceOf({
  hint,
  instead,
  example,
}: {
  readonly hint?: string | undefined;
  readonly instead?: string | undefined;
  readonly example?: string | undefined;
}): [label: string, text: string][] {
  const isSaid =
    instead !== undefined && (instead.includes(hint ?? '') || /^the nearest is /.test(hint ?? ''));
  return [
    ...(instead === undefined ? [] : [['instead', instead] as [string, string]]),
    ...(hint === undefined || isSaid ? [] : [['hint', hint] as [string, string]]),
    ...(example === undefined ? [] : [['for example', example] as [string, string]]),
  ];
}

/** Prints a problem: what and where, the line with a mark under it, and what to write instead. */
export function printProblem(
  terminal: Terminal,
  problem: Omit<SourceProblem, 'code'> & { readonly code: string },
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
    const line = withoutPlainSecrets(
      secretFrom === undefined ? whole : `${whole.slice(0, secretFrom - 1)}‹not shown›`,
    );
    // What is not shown before the place moves it.
    const before = withoutPlainSecrets(whole.slice(0, place.column - 1)).length;
    const start = Math.max(0, before + 1 - Math.floor(width / 2));
    const shown = line.slice(start, start + width - 6).replace(/\t/g, ' ');
    terminal.write(`    ${colours.dim(shown)}\n    ${' '.repeat(before - start)}${colours.bold('^')}\n`);
  }
  // A line with a secret in it is not shown, put right or not.
  const { instead: _, ...withoutLine } = problem;
  for (const [label, text] of adviceOf(secretFrom === undefined ? problem : withoutLine)) {
    const indent = ' '.repeat(label.length + 6);
    // A line to write is not broken: it could not be copied.
    const safe = withoutPlainSecrets(text);
    const [first = '', ...rest] = label === 'instead' ? safe.split('\n') : wrap(safe, wrapWidth - 14);
    terminal.write(
      `    ${colours.cyan(`${label}:`)} ${first}\n${rest.map((line) => `${indent}${line}\n`).join('')}`,
    );
  }
  terminal.write('\n');
}
