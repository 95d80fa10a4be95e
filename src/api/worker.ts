import { relative, resolve, sep } from 'node:path';
import type { Chain } from '../core/chain/model.ts';
import { carryOutBlock } from '../core/engine/run/block.ts';
import { run } from '../core/engine/run/run.ts';
import type { RunOptions } from '../core/engine/scope/run-options.ts';
import type { Paces } from '../core/engine/pace/pace.ts';
import type { RowOrder } from '../core/engine/spread.ts';
import { PASSING, type RunEvent } from '../core/events.ts';
import type { Ports, WrittenRow } from '../core/ports.ts';
import { fail, ProblemError, problemOf } from '../core/problems.ts';
import { pastOf, type PastRun } from '../core/record/past-of-events.ts';
import { AGENT } from '../io/http/agent.ts';
import { RunCookies } from '../io/http/cookies.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import type { OpenTeam } from '../io/team/open-team.ts';
import { isOfHere } from '../io/team/machine-name.ts';
import { type Offer, type Told, WorkNames } from '../io/team/team-work.ts';
import { type WorkAtHand, WorkTaker, type WorkTakerPorts } from '../io/team/work-taker.ts';
import { knownInputs } from './known-inputs.ts';
import { findProjectFile, load, type Loaded } from './load.ts';
import { type Attendance, openWorld, type OpenWorld } from './open-world.ts';
import { remoteFiles } from './remote-files.ts';
import { versionOf } from './spread-run.ts';
import { hasFilesOf, writeFilesOf } from './work-files.ts';
import { readBlock, readSetup, writeBlockResult } from './work-notes.ts';

/** How a worker goes about it. */
export interface WorkSettings {
  readonly team: OpenTeam;
  /** The folder of its own project. */
  readonly folder: string;
  readonly attendance: Attendance;
  /** Work of projects with other files than its own is taken as well. */
  readonly trusts: boolean;
  /** Only work of chains with one of these tags. */
  readonly tags: readonly string[];
  readonly about: () => Readonly<Record<string, unknown>>;
  readonly say: (message: string) => void;
}

interface Accepted {
  readonly loaded: Loaded;
  readonly chain: Chain;
  readonly world: OpenWorld;
  readonly paces: Paces;
}

/** What a worker does with work that is offered: it looks whether it can be carried out here, and carries it out by the same engine. */
function workPorts(settings: WorkSettings): WorkTakerPorts {
  const accepted = new Map<string, Accepted>();
  return {
    about: () => ({ ...settings.about(), version: versionOf(AGENT) }),
    say: settings.say,
    accept: async (offer) => {
      try {
        accepted.set(offer.id, await accept(settings, offer));
        return undefined;
      } catch (error) {
        return problemOf(error).message;
      }
    },
    carryOut: (work) => carryOut(accepted.get(work.offer.id)!, work),
    forget: async ({ id }) => {
      const one = accepted.get(id);
      accepted.delete(id);
      await one?.world.close();
    },
  };
}

/** Throws `worker-refused` where the work can't be carried out here, `secret-missing`… */
async function accept(settings: WorkSettings, offer: Offer): Promise<Accepted> {
  const refuse = (why: string): never => fail('worker-refused', why);
  const own = versionOf(AGENT);
  if (minorOf(own) !== minorOf(offer.version))
    refuse(`it comes from version ${offer.version}, and this worker is ${own}`);
  if (settings.tags.length > 0 && !settings.tags.some((tag) => offer.tags.includes(tag)))
    refuse(`it has none of the tags ${settings.tags.join(', ')}`);
  const paths = new Set(offer.files.map(({ path }) => path));
  if (!paths.has(offer.chain) || !paths.has(offer.projectFile)) refuse('its chain is none of its files');
  const folder = await folderOf(settings, offer);
  const loaded = load([resolve(folder, offer.chain)], offer.environment, true, folder);
  const problem = loaded.findings.find(({ finding }) => finding.level === 'problem');
  if (problem) refuse(`${problem.file.path}: ${problem.finding.message}`);
  const world = await openWorld(loaded.project, {
    ...settings.attendance,
    team: settings.team,
    lockedIn: settings.folder,
    practice: offer.practice,
  });
  try {
    for (const name of offer.secrets)
      await world.ports.secrets.get(name).catch((error: unknown) => {
        throw error instanceof ProblemError
          ? new ProblemError({ ...error.problem, message: `the secret ${name} is missing: ${error.message}` })
          : error;
      });
  } catch (error) {
    await world.close();
    throw error;
  }
  return { loaded, chain: loaded.chains[0]!, world, paces: new Map() };
}

function minorOf(version: string): string {
  return version.split('.').slice(0, 2).join('.');
}

/** Where the files of an offer are: its own, or such as were sent along. Throws `worker-refused`. */
async function folderOf({ folder, team, trusts }: WorkSettings, offer: Offer): Promise<string> {
  if (findProjectFile(folder) === resolve(folder, offer.projectFile) && hasFilesOf(folder, offer))
    return folder;
  if (!trusts)
    fail(
      'worker-refused',
      `its files are other ones than those in ${folder} (the same checkout there, or batharon work --trust)`,
    );
  const names = new WorkNames(team.redis);
  return writeFilesOf(folder, offer, async (digest) => {
    const sealed = await team.redis.do((redis) => redis.getBuffer(names.file(digest)));
    return sealed ? team.redis.seal.opened(sealed, `file ${digest}`)?.toString('utf8') : undefined;
  });
}

async function carryOut(
  { chain, loaded, paces, world }: Accepted,
  { before, gone, halt, job, offer, session, signal }: WorkAtHand,
): Promise<string> {
  const setup = readSetup(offer.setup);
  const { project } = loaded;
  const folder = projectFolder(project);
  const past = pastIn(before, world);
  const asking = AbortSignal.any([signal, gone]);
  gone.addEventListener('abort', () => session.goOnAlone(), { once: true });
  const ports: Ports = {
    ...world.ports,
    cookies: new RunCookies(),
    record: session,
    sealer: world.sealer,
    opener: world.sealer,
    transport: {
      send: async (request, watch) => {
        if (session.isAhead) await session.keepPace();
        return world.ports.transport.send(request, watch);
      },
    },
    files: remoteFiles(session, { folder, sharedFolder: project.team?.sharedFolder, signal: asking }),
    // Whoever gave the work has asked.
    confirm: () => Promise.resolve(true),
  };
  const options: RunOptions = {
    id: offer.run,
    inputs: { ...setup.inputs, ...(past ? knownInputs(chain, past) : {}) },
    emit: (event: RunEvent) => {
      if (!PASSING.has(event.event)) session.take(event);
    },
    signal,
    signInChains: loaded.signInChains,
    paces,
    answers: setup.answers,
    ...(world.practice === undefined ? {} : { practice: world.practice }),
    ...(world.onDefect ? { onDefect: world.onDefect } : {}),
    ...(setup.contract === undefined ? {} : { contract: setup.contract }),
    writeRow: (order: RowOrder) =>
      session.ask(
        'row',
        { ...order, near: relative(folder, resolve(order.near)).split(sep).join('/') },
        { as: `row ${order.step}`, signal: asking },
      ) as Promise<WrittenRow>,
  };
  if (job.kind === 'chain') {
    const { exit } = await run(chain, project, ports, {
      ...options,
      ...(setup.leave ? { leave: true } : {}),
      ...(setup.cases ? { cases: setup.cases } : {}),
      ...(past ? { past: past.past } : {}),
      files: [],
    });
    return JSON.stringify({ exit });
  }
  const block = readBlock(job.block);
  const result = await carryOutBlock(chain, project, ports, {
    options: {
      ...options,
      past: {
        ...(past?.past ?? NOTHING_PAST),
        started: setup.started,
        values: setup.values,
        learned: [...block.learned, ...(past?.past.learned ?? [])],
        cookies: [...block.cookies, ...(past?.past.cookies ?? [])],
      },
    },
    block,
    halt: halt(block.loop),
  });
  return writeBlockResult(result);
}

const NOTHING_PAST: PastRun['past'] = {
  started: 0,
  values: new Map(),
  step: () => undefined,
  hashOf: () => undefined,
  iteration: () => undefined,
  startOf: () => undefined,
  learned: [],
  booked: [],
  cookies: [],
};

/** What an earlier worker has done of a job; undefined where there was none. */
function pastIn(before: readonly Told[], world: OpenWorld): PastRun | undefined {
  if (before.length === 0) return undefined;
  const bodies = new Map<string, Uint8Array>();
  const events: RunEvent[] = [];
  for (const one of before)
    if ('event' in one) events.push(one.event);
    else if ('keep' in one) bodies.set(one.keep, Buffer.from(one.body, 'base64'));
  return pastOf(
    events,
    { open: (sealed) => world.sealer.open(sealed), body: (digest) => bodies.get(digest) },
    // Nobody is there to say so.
    { sent: () => false, notSent: () => false },
  );
}

/** A worker that takes work until it is told to stop. */
export function workerOf(settings: WorkSettings, lanes: number): WorkTaker {
  return new WorkTaker(settings.team.redis, lanes, workPorts(settings));
}

/** What is known of a worker. */
export interface KnownWorker {
  readonly name: string;
  /** It works on this machine. */
  readonly isHere: boolean;
  readonly version: string;
  readonly jobs: number;
  /** How many it carries out now. */
  readonly underWay: number;
}

/** The workers of a team that live. Throws `team-away`. */
export async function workersOf({ redis: team }: OpenTeam): Promise<KnownWorker[]> {
  const names = new WorkNames(team);
  const alive = await team.do((redis) => redis.zrangebyscore(names.alive, Math.floor(team.now()), '+inf'));
  const about = await team.do((redis) => redis.hgetallBuffer(names.workers));
  return alive.flatMap((name) => {
    const sealed = about[name];
    const text = sealed && team.seal.opened(sealed, 'worker')?.toString('utf8');
    const known = text === undefined ? undefined : (JSON.parse(text) as Omit<KnownWorker, 'name' | 'isHere'>);
    return known ? [{ ...known, name, isHere: isOfHere(name) }] : [];
  });
}
