import { openWorld, type OpenWorld } from '../../api/open-world.ts';
import type { Project } from '../../core/chain/project.ts';
import { withoutSecrets } from '../../core/language/hidden.ts';
import { REPORT } from '../../core/problems.ts';
import { askQuestion } from '../terminal/ask-question.ts';
import { askHidden, askYesNo, terminalPerson } from '../terminal/prompts.ts';
import { writeTo } from '../terminal/standard-streams.ts';
import { errorTerminal, legible } from '../terminal/terminal.ts';

/**
 * Opens what a run of a project needs, with the person at the terminal to ask and to tell. Where several runs go on side by side,
 * steps ask nothing (`asks`): of which run a question is could not be told.
 */
export function openHere(
  project: Project,
  { asks = true }: { readonly asks?: boolean } = {},
): Promise<OpenWorld> {
  return openWorld(project, {
    ask: askHidden,
    confirm: askYesNo,
    ...(asks ? { question: askQuestion } : {}),
    person: terminalPerson,
    warn: (message) => errorTerminal().write(`warning ${message}\n`),
    onDefect: reportDefect,
  });
}

/** Of a defect of the program the place is said as well, without secrets: that helps to mend it. */
function reportDefect(error: unknown): void {
  const stack = error instanceof Error ? (error.stack ?? error.message) : String(error);
  writeTo(2, legible(`defect  ${withoutSecrets(stack)}\n        ${REPORT}\n`));
}
