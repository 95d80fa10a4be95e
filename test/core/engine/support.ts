import { createHash, createHmac } from 'node:crypto';
import { expect } from '@jest/globals';
import type { Chain } from '../../../src/core/chain/model.ts';
import type { Project } from '../../../src/core/chain/project.ts';
import { readChain } from '../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT, readProject } from '../../../src/core/chain/read/read-project.ts';
import type { RunOptions } from '../../../src/core/engine/scope/run-options.ts';
import { run } from '../../../src/core/engine/run/run.ts';
import { eventSchema, type EventOf, type RunEvent } from '../../../src/core/events.ts';
import { writeJson } from '../../../src/core/language/json.ts';
import { objectOf, type Value } from '../../../src/core/language/values.ts';
import type {
  Clock,
  Files,
  HeaderList,
  Ports,
  Transport,
  WireResponse,
  WireRequest,
} from '../../../src/core/ports.ts';
import type { ProblemCode } from '../../../src/core/problem-codes.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { RunCookies } from '../../../src/io/http/cookies.ts';
import { RunCredentials } from '../../../src/io/credentials/index.ts';
import { SchemaValidator } from '../../../src/io/description/validate.ts';
import { descriptionsBy } from '../contract/support.ts';
import { formats } from '../../../src/io/files/formats.ts';
import { HurriedClock } from '../../../src/io/hurried-clock.ts';

/** The body of a request as text. */
export function bodyText({ body }: WireRequest): string {
  return body instanceof Uint8Array ? Buffer.from(body).toString() : '';
}

/** What Node calls an algorithm. */
const nodeName = (algorithm: string): string => (algorithm === 'sha' ? 'sha1' : algorithm.replace('-', ''));

const noFiles: Files = {
  open: () => Promise.reject(new Error('no files here')),
  create: () => Promise.reject(new Error('no files here')),
};

/** A clock that goes on by itself to the next timer when nothing else is to be done. */
export class VirtualClock extends HurriedClock {
  constructor() {
    super(Date.UTC(2026, 2, 1, 8));
  }
}

export interface Reply {
  readonly status?: number;
  readonly headers?: HeaderList;
  readonly json?: string;
  readonly body?: Uint8Array;
  /** Milliseconds until the response begins. */
  readonly after?: number;
  /** No response comes: why. */
  readonly fails?: ProblemCode;
  /** The body piece by piece, each so many milliseconds after the one before. */
  readonly pieces?: readonly (readonly [after: number, piece: string | Uint8Array])[];
  /** What follows the pieces: the end of the body, without more; or it breaks off, or nothing comes any more. */
  readonly then?: 'breaks' | 'hangs';
}

/** Answers each request by a function; remembers what was sent. */
export class ScriptedTransport implements Transport {
  readonly sent: WireRequest[] = [];
  readonly #script: (request: WireRequest, nth: number) => Reply;
  readonly #clock: Clock;

  constructor(clock: Clock, script: (request: WireRequest, nth: number) => Reply) {
    this.#clock = clock;
    this.#script = script;
  }

  async send(request: WireRequest, watch: Parameters<Transport['send']>[1]): Promise<WireResponse> {
    this.sent.push(request);
    const {
      status = 200,
      headers = [],
      json,
      body,
      after = 0,
      fails,
      pieces,
      then,
    } = this.#script(request, this.sent.length - 1);
    watch.phase('connect');
    if (fails !== 'connection-refused') watch.phase('firstByte');
    const stopped = new Promise<never>((_, reject) => {
      watch.onStop(reject);
    });
    stopped.catch(() => undefined);
    const pass = (milliseconds: number): Promise<void> => {
      let cancel = (): void => undefined;
      const passed = new Promise<void>((resolve) => (cancel = this.#clock.timer(milliseconds, resolve)));
      return Promise.race([passed, stopped]).finally(() => cancel());
    };
    await pass(after);
    if (fails) throw new ProblemError({ code: fails, message: fails });
    watch.phase('body');
    const typed: HeaderList =
      json === undefined || headers.some(([name]) => name === 'content-type')
        ? headers
        : [...headers, ['content-type', 'application/json']];
    if (pieces) {
      const receive = request.receive?.({ status, headers: typed });
      for (const [wait, piece] of pieces) {
        await pass(wait);
        await Promise.race([receive?.(typeof piece === 'string' ? Buffer.from(piece) : piece), stopped]);
      }
      if (then === 'breaks') throw new ProblemError({ code: 'connection-reset', message: 'it broke off' });
      if (then === 'hangs') await stopped;
      return { status, headers: typed, body: new Uint8Array(), phases: {} };
    }
    return { status, headers: typed, body: body ?? new TextEncoder().encode(json ?? ''), phases: {} };
  }
}

export interface Ran {
  readonly exit: number;
  readonly events: RunEvent[];
  readonly sent: WireRequest[];
  readonly results: ReadonlyMap<string, Value>;
  readonly of: <K extends RunEvent['event']>(kind: K) => EventOf<K>[];
}

export interface RunSetting {
  readonly project?: string;
  readonly secrets?: Record<string, string>;
  readonly inputs?: Record<string, Value>;
  readonly files?: Files;
  /** Other chain files, by their paths. */
  readonly chains?: Record<string, string>;
  /** Undo and cleanup are left. */
  readonly leave?: boolean;
  /** Ports in the place of the default ones, or besides them. */
  readonly ports?: Partial<Ports>;
  /** Why a step failed need not be said: something is wrong with the saying itself. */
  readonly allowUnexplained?: boolean;
  /** Puts something around all ports. */
  readonly around?: (ports: Ports) => Ports;
  readonly signInChains?: ReadonlyMap<string, Chain>;
  readonly id?: string;
  readonly onEvent?: (event: RunEvent) => void;
  /** The files that are recorded with the run. */
  readonly texts?: RunOptions['files'];
  readonly past?: RunOptions['past'];
  readonly cases?: readonly string[];
  readonly answers?: RunOptions['answers'];
  readonly responses?: RunOptions['responses'];
  /** The descriptions of services, as texts by their names. */
  readonly descriptions?: Record<string, string>;
  readonly contract?: RunOptions['contract'];
  /** Gives the blocks of loops to others. */
  readonly spread?: (run: {
    readonly chain: Chain;
    readonly project: Project;
    readonly ports: Ports;
  }) => RunOptions['spread'];
  /** Interrupts the run when this many requests have been sent. */
  readonly interruptAt?: number;
}

/** Runs a chain against scripted responses on a virtual clock; each event is checked against its schema. */
export async function runChain(
  text: string,
  script: (request: WireRequest, nth: number) => Reply,
  setting: RunSetting = {},
): Promise<Ran> {
  const read =
    setting.project === undefined
      ? NO_PROJECT
      : readProject('batharon.yaml', setting.project, undefined, true).project;
  const project = setting.descriptions
    ? { ...read, descriptions: descriptionsBy(setting.descriptions) }
    : read;
  const { chain, findings } = readChain('test.chain.yaml', text, project, {
    files: (path) => {
      const other = setting.chains?.[path];
      return other === undefined ? undefined : { path, text: other };
    },
  });
  if (!chain)
    throw new Error(findings.map(({ place, message }) => `${place?.line ?? 0}: ${message}`).join('\n'));
  const clock = setting.ports?.clock ?? new VirtualClock();
  const controller = new AbortController();
  const transport = new ScriptedTransport(clock, (request, nth) => {
    if (nth + 1 === setting.interruptAt)
      setImmediate(() => controller.abort(new ProblemError({ code: 'interrupted', message: 'interrupted' })));
    return script(request, nth);
  });
  const events: RunEvent[] = [];
  const ports: Ports = {
    transport,
    clock,
    chance: { next: () => 0.5 },
    digests: {
      identify: (data) => createHash('sha256').update(data).digest('hex'),
      digest: (algorithm, data) => createHash(nodeName(algorithm)).update(data).digest(),
      hmac: (algorithm, key, data) => createHmac(nodeName(algorithm), key).update(data).digest(),
    },
    secrets: {
      get: async (name) =>
        setting.secrets?.[name] ??
        Promise.reject(new ProblemError({ code: 'secret-missing', message: `no secret ${name}` })),
    },
    credentials: new RunCredentials(transport, clock),
    files: setting.files ?? noFiles,
    cookies: new RunCookies(),
    formats,
    validator: () => Promise.resolve(new SchemaValidator()),
    ...setting.ports,
  };
  const spread = setting.spread?.({ chain, project, ports });
  const { exit, results } = await run(chain, project, setting.around?.(ports) ?? ports, {
    ...(spread ? { spread } : {}),
    id: setting.id ?? 'test',
    files: setting.texts,
    past: setting.past,
    responses: setting.responses,
    inputs: setting.inputs ?? {},
    signal: controller.signal,
    ...(setting.leave ? { leave: true } : {}),
    ...(setting.cases ? { cases: setting.cases } : {}),
    ...(setting.contract ? { contract: setting.contract } : {}),
    ...(setting.answers ? { answers: setting.answers } : {}),
    ...(setting.signInChains ? { signInChains: setting.signInChains } : {}),
    emit: (event) => {
      setting.onEvent?.(event);
      events.push(eventSchema.parse(event));
    },
  });
  if (!setting.allowUnexplained) expect(unexplained(events)).toEqual([]);
  return {
    exit,
    events,
    sent: transport.sent,
    results,
    of: (kind) => events.filter((event) => event.event === kind) as never,
  };
}

/** Steps that failed, and a run, without a word of why: neither of them, nor of a step inside. */
function unexplained(events: readonly RunEvent[]): string[] {
  const ended = events.filter((event) => event.event === 'step-ended');
  const explained = ended.filter(({ outcome, problem }) => outcome === 'failed' && problem);
  const isSaid = (outer: string): boolean =>
    explained.some(
      ({ step }) => step === outer || step.startsWith(`${outer}.`) || step.startsWith(`${outer}[`),
    );
  const broken = ended.filter(({ outcome, step }) => outcome === 'failed' && !isSaid(step));
  const whole = events.find((event) => event.event === 'run-ended');
  return [
    ...broken.map(({ step }) => step),
    ...(whole?.outcome === 'failed' && !whole.problem && explained.length === 0 ? ['the run'] : []),
  ];
}

export const KILN = 'services:\n  kiln:\n    url: https://kiln.example/v1\n';

/** Results as plain data. */
export function plain(results: ReadonlyMap<string, Value>): unknown {
  return JSON.parse(writeJson(objectOf(results), 0, 'text'));
}
