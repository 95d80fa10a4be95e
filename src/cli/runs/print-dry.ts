import { countOf } from '../../core/count-of.ts';
import type { Chain } from '../../core/chain/model.ts';
import type { Project } from '../../core/chain/project.ts';
import { wouldSend } from '../../api/dry-run.ts';
import type { Value } from '../../core/language/values.ts';
import { errorTerminal } from '../terminal/terminal.ts';
import { whereWords } from '../records/where.ts';

/** `run --dry`: shows what would be sent, and sends nothing. */
export function printDry(
  project: Project,
  runs: readonly { chain: Chain; inputs: Record<string, Value> }[],
): void {
  const terminal = errorTerminal();
  const { colours } = terminal;
  const write = (text: string): void => terminal.write(text);
  for (const { chain, inputs } of runs) {
    const { requests, services } = wouldSend(project, chain, inputs);
    write(`${colours.bold(chain.title)}${colours.dim('  dry: nothing is sent')}\n`);
    const where = whereWords(project.environment, services);
    if (where !== undefined) write(colours.dim(`        ${where}\n`));
    for (const { step, method, url, as, headers, body, when } of requests) {
      write(
        `\n${colours.cyan('would'.padEnd(8))}${colours.bold(step.title)}${when === undefined ? '' : colours.dim(`  ${isLoop(when) ? when : `when ${when}`}`)}\n`,
      );
      write(`        ${method} ${url}\n`);
      if (as !== undefined) write(colours.dim(`        as ${as}\n`));
      for (const [name, value] of headers) write(colours.dim(`        ${name}: ${value}\n`));
      if (body !== undefined) write(`        ${body}\n`);
    }
    const loops = requests.some(({ when }) => when !== undefined && isLoop(when));
    const most = loops ? ', those of loops in each iteration' : ' at the most';
    write(`\n${countOf(requests.length, 'request')} would be sent${most}.\n\n`);
  }
}

function isLoop(when: string): boolean {
  return /(?:^|, )(?:for each|again until) /.test(when);
}
