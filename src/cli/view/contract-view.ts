import { countOf } from '../../core/count-of.ts';
import type { ContractCoverage, CountedDeviation } from '../../core/contract/coverage.ts';
import {
  deviationLine,
  met,
  neverMet,
  neverSeenText,
  summaryOf,
} from '../../report/contract/contract-texts.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { fit, pad, widthOf, wrap } from '../terminal/text-width.ts';

/** Shows what runs have met of a description, what never, and where they were otherwise. */
export function printCoverage(terminal: Terminal, coverage: ContractCoverage): void {
  const { colours, width } = terminal;
  const { deviations, file, operations, service, unknown } = coverage;
  terminal.write(`${colours.bold(service)}  ${summaryOf(coverage)}  ${colours.dim(file)}\n`);
  if (deviations.length > 0) terminal.write('\n');
  for (const [operation, own] of byOperation(deviations)) {
    terminal.write(`${colours.red('differs')} ${operation}  ${colours.dim(`run ${own.at(-1)!.run}`)}\n`);
    for (const one of own)
      terminal.write(`        ${deviationLine(one)}${one.count > 1 ? colours.dim(` ×${one.count}`) : ''}\n`);
  }
  terminal.write('\n');
  const left = Math.min(
    Math.max(...operations.map(({ operation }) => widthOf(operation)), 9),
    Math.floor(width * 0.42),
  );
  const called = operations.filter(({ calls }) => calls > 0);
  const middle = Math.min(
    Math.max(...called.map((one) => widthOf(met(one).join(', '))), 3),
    Math.floor(width * 0.25),
  );
  terminal.write(colours.dim(`${pad('operation', left)}  ${pad('met', middle)}  never met\n`));
  for (const one of called) {
    const rest = Math.max(10, width - left - middle - 4);
    terminal.write(
      `${pad(fit(one.operation, left), left)}  ${colours.green(pad(fit(met(one).join(', '), middle), middle))}  ${colours.dim(fit(neverMet(one).join(', '), rest))}`.trimEnd() +
        '\n',
    );
    if (one.neverSeen.length > 0)
      terminal.write(
        colours.dim(
          `${' '.repeat(2)}${fit(`${one.neverSeen.length} of ${one.members} members never seen: ${neverSeenText(one)}`, width - 2)}\n`,
        ),
      );
  }
  const never = operations.filter(({ calls }) => calls === 0).map(({ operation }) => operation);
  if (never.length > 0) {
    terminal.write(`\nnever called: ${countOf(never.length, 'operation')}\n`);
    for (const line of wrap(never.join(', '), terminal.wrapWidth - 2))
      terminal.write(`  ${colours.dim(line)}\n`);
  }
  if (unknown.length > 0) terminal.write('\nnot described\n');
  for (const { request, count } of unknown) terminal.write(`  ${request} ×${count}\n`);
}

/** Deviations by the operations that they are of, in the order in which these came. */
function byOperation(deviations: readonly CountedDeviation[]): Map<string, CountedDeviation[]> {
  const all = new Map<string, CountedDeviation[]>();
  for (const one of deviations) all.set(one.operation, [...(all.get(one.operation) ?? []), one]);
  return all;
}
