import type { Project } from '../core/chain/project.ts';
import type { Ports } from '../core/ports.ts';
import type { RunCredentials } from '../io/credentials/index.ts';
import { machinePorts } from '../io/machine-ports.ts';
import { LockedStore } from '../io/secrets/locked-store.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import type { PracticeOptions } from '../practice/state.ts';
import { Trust } from '../io/secrets/trust.ts';
import { askHidden, askYesNo, terminalPerson } from '../cli/terminal/prompts.ts';
import { errorTerminal } from '../cli/terminal/terminal.ts';

/** The ports of a run, and the practice service where the project uses it. */
export interface OpenWorld {
  readonly ports: Ports & { readonly credentials: RunCredentials };
  readonly locked: LockedStore;
  readonly practice?: string;
  close(): Promise<void>;
}

/** Opens what a run of a project needs of the world. */
export async function openWorld(project: Project, practiceOptions: PracticeOptions = {}): Promise<OpenWorld> {
  new Trust(project, { variables: process.env }).refuseForeign();
  const { HttpTransport } = await import('../io/http/http.ts');
  const transport = new HttpTransport();
  const usesPractice = [...project.services.values()].some(({ url }) => url === 'practice');
  const practice = usesPractice ? await startPractice(practiceOptions) : undefined;
  // The keys of the practice service are made up, so a project that uses it needs no others.
  const variables = practice ? { ...practice.variables, ...process.env } : process.env;
  const locked = new LockedStore(projectFolder(project), process.env, once(warn));
  const ports = machinePorts(project, transport, {
    variables,
    locked,
    ask: askHidden,
    confirm: askYesNo,
    warn,
    person: terminalPerson,
  });
  const confirm = process.env.BATHARON_YES === '1' ? () => Promise.resolve(true) : askYesNo;
  return {
    ports: { ...ports, confirm },
    locked,
    ...(practice ? { practice: practice.url } : {}),
    close: async () => {
      await transport.close();
      await ports.callbacks.close();
      await practice?.close();
    },
  };
}

/** Something that the person should know. */
function warn(message: string): void {
  errorTerminal().write(`warning ${message}\n`);
}

/** The same, said once, whatever is said. */
function once(say: (message: string) => void): (message: string) => void {
  let said = false;
  return (message) => {
    if (!said) say(message);
    said = true;
  };
}

async function startPractice(
  options: PracticeOptions,
): Promise<{ url: string; variables: NodeJS.ProcessEnv; close(): Promise<void> }> {
  const { startPractice: start } = await import('../practice/service.ts');
  const { PRACTICE_VARIABLES } = await import('../practice/state.ts');
  const { url, close } = await start(options);
  return { url, variables: PRACTICE_VARIABLES, close };
}
