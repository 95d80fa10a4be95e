import type { Project } from '../core/chain/project.ts';
import type { Files, Opener, Ports, Sealer } from '../core/ports.ts';
import type { RunCredentials } from '../io/credentials/index.ts';
import { Turns } from '../io/in-turn.ts';
import { localFiles } from '../io/files/files.ts';
import { machinePorts } from '../io/machine-ports.ts';
import { LockedStore } from '../io/secrets/locked-store.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import { ProjectSecrets } from '../io/secrets/secrets.ts';
import { Trust } from '../io/secrets/trust.ts';
import type { OpenTeam } from '../io/team/open-team.ts';
import type { Person } from '../io/credentials/person.ts';

export type { Person };

/** The ports of a run, and the practice service where the project uses it. */
export interface OpenWorld {
  readonly ports: Ports & { readonly credentials: RunCredentials };
  readonly locked: LockedStore;
  /** The other machines, where the project has a team. */
  readonly team?: OpenTeam;
  /** What is recorded is sealed with it: by this user, or so that every machine of the team can open it. */
  readonly sealer: Sealer & Opener;
  readonly practice?: string;
  /** Tells a person what they should know. */
  readonly warn: (message: string) => void;
  /** Is told of a defect of the program. */
  readonly onDefect?: ((error: unknown) => void) | undefined;
  close(): Promise<void>;
}

/** Who is asked and told while a project is used; without it nobody is there. */
export interface Attendance {
  /** Asks for a secret. */
  readonly ask?: Parameters<typeof machinePorts>[2]['ask'];
  /** Asks whether something may be done. */
  readonly confirm?: Parameters<typeof machinePorts>[2]['confirm'];
  /** Asks what a step wants to know. */
  readonly question?: Ports['ask'];
  readonly person?: Person;
  /** Is told what a person should know. */
  readonly warn?: (message: string) => void;
  /** Is told of a defect of the program, which is a failure of the run like others. */
  readonly onDefect?: (error: unknown) => void;
  /** Variables of the environment; those of the process without them. */
  readonly variables?: NodeJS.ProcessEnv;
  /** The other machines, where this process is connected to them already. */
  readonly team?: OpenTeam;
  /** The folder in which secrets are locked, where it is not that of the project. */
  readonly lockedIn?: string;
  /** The practice service of the run that this one is a part of. */
  readonly practice?: string | undefined;
}

/** Opens what a run of a project needs of the world. */
export async function openWorld(
  project: Project,
  {
    ask: askFor,
    confirm: confirmed,
    person,
    question: questioned,
    warn = () => undefined,
    onDefect,
    variables: own = process.env,
    team: joined,
    lockedIn,
    practice: elsewhere,
  }: Attendance = {},
): Promise<OpenWorld> {
  // However many steps ask, for a secret, for leave or for an answer, a person is asked one thing at a time.
  const turns = new Turns();
  const ask = askFor && turns.take(askFor);
  const confirm = confirmed && turns.take(confirmed);
  const question = questioned && turns.take(questioned);
  new Trust(project, { variables: own }).refuseForeign();
  const { HttpTransport } = await import('../io/http/http.ts');
  const transport = new HttpTransport();
  const usesPractice = [...project.services.values()].some(({ url }) => url === 'practice');
  const practice = usesPractice
    ? await (elsewhere === undefined ? startPractice() : practiceAt(elsewhere))
    : undefined;
  // The keys of the practice service are made up, so a project that uses it needs no others.
  const variables = practice ? { ...practice.variables, ...own } : own;
  const locked = new LockedStore(lockedIn ?? projectFolder(project), own, once(warn));
  const machine = {
    variables,
    locked,
    ...(ask ? { ask } : {}),
    ...(confirm ? { confirm } : {}),
    warn,
    ...(person ? { person } : {}),
  };
  const team =
    joined ??
    (await joinTeam(project, machine).catch(async (error: unknown) => {
      await transport.close();
      await practice?.close();
      throw error;
    }));
  const ports = machinePorts(project, transport, { ...machine, ...(team ? { tokens: team.tokens } : {}) });
  const allowing = own.BATHARON_YES === '1' ? () => Promise.resolve(true) : confirm;
  return {
    ports: {
      ...ports,
      ...team?.ports,
      ...(allowing ? { confirm: allowing } : {}),
      ...(question ? { ask: question } : {}),
    },
    locked,
    ...(team ? { team } : {}),
    sealer: team ? sealedByTeam(team, locked) : locked,
    warn,
    onDefect,
    ...(practice ? { practice: practice.url } : {}),
    close: async () => {
      await transport.close();
      await ports.callbacks.close();
      await practice?.close();
      if (!joined) await team?.close();
    },
  };
}

/** Connects to the other machines, where the project has a team. Throws `secret-missing`, `team-away`. */
async function joinTeam(
  project: Project,
  machine: Parameters<typeof machinePorts>[2],
): Promise<OpenTeam | undefined> {
  const { team } = project;
  if (!team) return undefined;
  const { openTeam } = await import('../io/team/open-team.ts');
  return openTeam(
    { ...project, team },
    new ProjectSecrets(project, machine),
    machine.warn ?? (() => undefined),
  );
}

/** What this machine sealed for itself before there was a team still opens. */
function sealedByTeam({ redis: { seal } }: OpenTeam, locked: LockedStore): OpenWorld['sealer'] {
  return {
    seal: (text) => seal.seal(text),
    open: (sealed) => seal.open(sealed) ?? locked.open(sealed),
  };
}

/** The same where files of the run lie beside another one, wherever it was started. */
export function withFilesIn(world: OpenWorld, near: string): OpenWorld {
  const files: Files = {
    open: (path) => localFiles.open(path, near),
    create: (path) => localFiles.create(path, near),
  };
  return { ...world, ports: { ...world.ports, files } };
}

/** The same, said once, whatever is said. */
function once(say: (message: string) => void): (message: string) => void {
  let said = false;
  return (message) => {
    if (!said) say(message);
    said = true;
  };
}

/** The clock of the practice service that a run starts goes so many times faster than a real kiln's. */
const PRACTICE_SPEED = 8;

/** A practice service, and the keys that it takes. */
interface Practice {
  readonly url: string;
  readonly variables: NodeJS.ProcessEnv;
  close(): Promise<void>;
}

async function practiceAt(url: string): Promise<Practice> {
  const { PRACTICE_VARIABLES } = await import('../practice/state.ts');
  return { url, variables: PRACTICE_VARIABLES, close: () => Promise.resolve() };
}

async function startPractice(): Promise<Practice> {
  const { startPractice: start } = await import('../practice/service.ts');
  const { PRACTICE_VARIABLES } = await import('../practice/state.ts');
  const { url, close } = await start({ speed: PRACTICE_SPEED });
  return { url, variables: PRACTICE_VARIABLES, close };
}
