import type { CallStep, Chain, PlacedExpression, Project, Service, Setting, Step } from '../chain/model.ts';
import type { RunEvent } from '../events.ts';
import type { Environment, World, XPath } from '../language/environment.ts';
import { brief } from '../language/show.ts';
import {
  type Duration,
  Duration as DurationValue,
  kindOf,
  type Maybe,
  type Value,
} from '../language/values.ts';
import { withArticle } from '../language/kinds.ts';
import type { FilledCredential, HeaderList, Ports } from '../ports.ts';
import { type Problem, ProblemError } from '../problems.ts';
import { SecretMembers } from './answer-secrets.ts';
import type { BuiltRequest } from './build-request.ts';
import type { CallResult } from './call.ts';
import type { Inserter } from './insert.ts';
import { Interruption } from './interruption.ts';
import { Masker, SHORTEST_SECRET } from './masking.ts';
import { refuseShortSecret } from './insert.ts';
import type { NestedResult, SignInChains } from './sign-in-chain.ts';

/** An event before it is stamped. */
export type Emitted = RunEvent extends infer E ? (E extends RunEvent ? Omit<E, 'at'> : never) : never;

/** What a run is given besides its ports. */
export interface RunOptions {
  readonly id: string;
  readonly inputs: Readonly<Record<string, Value>>;
  readonly emit: (event: RunEvent) => void;
  /** Aborted when the person interrupts the run. */
  readonly signal: AbortSignal;
  /** The URL of the practice service, where the project uses it. */
  readonly practice?: string;
  /** The chains of credentials of kind chain, by the names of the credentials. */
  readonly signInChains?: ReadonlyMap<string, Chain>;
  /** Values of names from an earlier run, which steps above have kept there. */
  readonly known?: ReadonlyMap<string, Value>;
}

/** Everything that the parts of one run share. */
export class RunContext {
  readonly chain: Chain;
  readonly project: Project;
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly members: SecretMembers;
  readonly names = new Map<string, Value>();
  /** Names that a step which failed and was passed would have kept: the name → the step's address. */
  readonly lost = new Map<string, string>();
  /** The URL of the answer that a name came from. */
  readonly cameFrom = new Map<string, string>();
  readonly secrets = new Map<string, string>();
  readonly serviceUrls = new Map<string, string>();
  /** The same without slashes at the end, for paths to be put behind. */
  readonly serviceBases = new Map<string, string>();
  readonly serviceOrigins = new Map<string, string>();
  calls = 0;
  /** There where an expression reads XML. */
  xpath: XPath | undefined;
  /** Replaced while cleanup runs, so that an interruption does not end that too. */
  interruption: Interruption;
  readonly #remarks = new Set<string>();
  /** Set by what carries the chain out. */
  signIns: SignInChains | undefined;
  /** Credentials for which this chain is signing in. */
  readonly signingIn: ReadonlySet<string>;
  /** Carries out another chain inside this run. */
  runNested: (
    chain: Chain,
    inputs: Readonly<Record<string, Value>>,
    credential: string,
  ) => Promise<NestedResult> = () => Promise.reject(new Error('no runner'));

  /** A chain that is carried out inside another one (`within`) shares its secrets and its interruption. */
  constructor(
    chain: Chain,
    project: Project,
    ports: Ports,
    options: RunOptions,
    within?: { readonly context: RunContext; readonly credential: string },
  ) {
    this.masker = within?.context.masker ?? new Masker();
    this.signIns = within?.context.signIns;
    this.signingIn = new Set(within ? [...within.context.signingIn, within.credential] : []);
    this.chain = chain;
    this.project = project;
    this.ports = ports;
    this.options = options;
    this.members = new SecretMembers(project.mask);
    this.interruption = new Interruption(options.signal);
  }

  /** Masks an event and sends it out. */
  emit(event: Emitted): void {
    const masked = (
      this.masker.isIdle ? event : maskAll(event, (text) => this.masker.text(text))
    ) as RunEvent;
    masked.at = this.ports.clock.now();
    this.options.emit(masked);
  }

  remark(step: string | undefined, code: string, message: string): void {
    const key = `${step ?? ''} ${message}`;
    if (this.#remarks.has(key)) return;
    this.#remarks.add(key);
    this.emit({ event: 'remark', ...(step === undefined ? {} : { step }), code, message });
  }

  world(): World {
    let now: number | undefined;
    const { clock, chance, digests } = this.ports;
    return {
      now: () => (now ??= clock.now()),
      chance: () => chance.next(),
      digest: (algorithm, data) => digests.digest(algorithm, data),
      hmac: (algorithm, key, data) => digests.hmac(algorithm, key, data),
      ...(this.xpath ? { xpath: this.xpath } : {}),
      zone: this.project.zone,
    };
  }

  /** The service of a call, where it has one. */
  serviceOf({ target }: CallStep): Service | undefined {
    return target.type === 'url' ? undefined : this.project.services.get(target.service);
  }

  #jar({ as, service, url }: BuiltRequest): string {
    return `${service ?? new URL(url).origin} ${as ?? 'nobody'}`;
  }

  /** The cookies of the run that fit a request. */
  cookiesFor(request: BuiltRequest, url: string): string | undefined {
    return this.ports.cookies.header(this.#jar(request), url);
  }

  /** Keeps the cookies that an answer sets; their values are secrets. */
  async storeCookies(request: BuiltRequest, url: string, headers: HeaderList): Promise<void> {
    const fields = headers.flatMap(([name, value]) => (name === 'set-cookie' ? [value] : []));
    for (const field of fields) {
      const [, name, value] = /^\s*([^=;\s]+)\s*=\s*"?([^;"]*)/.exec(field) ?? [];
      // A short value, such as a language, would mask what is no secret.
      if (value !== undefined && value.length >= 12) this.masker.addFound(value, `cookie ${name!}`);
    }
    await this.ports.cookies.store(this.#jar(request), url, fields);
  }

  /** Whether sending a request again with a renewed credential may help. */
  async renews(
    credential: FilledCredential,
    result: CallResult,
    challenges: readonly string[],
  ): Promise<boolean> {
    if (credential.credential.signIn) return this.signIns!.renew(this, credential.credential, result);
    return this.ports.credentials.renew(credential, challenges);
  }

  /** What expressions of a step see: kept names, and with `more` what only this step has. */
  environment(step: Step | undefined, answer?: Maybe, more?: (name: string) => Maybe): Environment {
    return {
      answer,
      name: (name) => {
        const own = more?.(name);
        return own === undefined ? this.names.get(name) : own;
      },
      world: this.world(),
      visited: 0,
      remark: ({ code, message }) => this.remark(step?.address, code, message),
    };
  }

  /** The names of texts that are sent: secrets and addresses of services besides all others. */
  sentName(name: string): Maybe {
    if (name === 'secret') return Object.fromEntries(this.secrets);
    if (name === 'services')
      return Object.fromEntries([...this.serviceUrls].map(([service, url]) => [service, { url }]));
    return undefined;
  }

  /** Evaluates insertions; what is computed from a secret is masked from then on. */
  inserter(environment: Environment): Inserter {
    return {
      value: (insertion) => {
        const value = placed(insertion, () => insertion.expression.evaluate(environment));
        if (insertion.expression.secret && value !== undefined && value !== null)
          this.#hide(insertion, value);
        return value;
      },
      nothing: (insertion) => throwNothing(insertion, environment),
    };
  }

  #hide(insertion: PlacedExpression, value: Value): void {
    const label = `secret ${/secret\.([A-Za-z_]\w*)/.exec(insertion.expression.text)?.[1] ?? 'value'}`;
    const hide = (part: Value): void => {
      if (Array.isArray(part)) part.forEach(hide);
      else if (kindOf(part) === 'object') Object.values(part as Record<string, Value>).forEach(hide);
      else if (typeof part === 'string') {
        if (part.length < SHORTEST_SECRET) refuseShortSecret(insertion);
        this.masker.add(part, label);
      } else if (kindOf(part) === 'number') refuseShortSecret(insertion);
    };
    hide(value);
  }

  duration(setting: Setting<Duration>, environment: Environment): number {
    if ('value' in setting) return setting.value.milliseconds;
    const { insertion } = setting;
    const value = placed(insertion, () => insertion.expression.evaluate(environment));
    if (value instanceof DurationValue && value.milliseconds >= 0) return value.milliseconds;
    if (value === undefined) throwNothing(insertion, environment);
    throw new ProblemError({
      code: 'not-a-duration',
      message: `a duration is wanted here, and this is ${withArticle(kindOf(value))}, ${brief(value, 40)}`,
      instead: 'x * 1s makes a duration of a number of seconds',
      place: insertion.at(insertion.expression.tree.span),
    });
  }

  /** Waits on the clock; ends early, with the signal's reason, when the run is interrupted. */
  async sleep(milliseconds: number): Promise<void> {
    const { interruption } = this;
    await new Promise<void>((resolve, reject) => {
      const stop = (reason: Error): void => {
        cancel();
        reject(reason);
      };
      const cancel = this.ports.clock.timer(milliseconds, () => {
        interruption.delete(stop);
        resolve();
      });
      interruption.add(stop);
    });
  }
}

/** Runs an expression; a problem of it gets its place in the file. */
export function placed<T>(expression: PlacedExpression, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof ProblemError && !error.problem.place) {
      const { span, ...problem } = error.problem;
      throw new ProblemError({ ...problem, place: expression.at(span) });
    }
    throw error;
  }
}

/** Throws why an expression came out as nothing. */
export function throwNothing(expression: PlacedExpression, environment: Environment): never {
  const { message, instead } = expression.expression.whyNothing(environment);
  throw new ProblemError({
    code: 'found-nothing',
    message,
    ...(instead === undefined ? {} : { instead }),
    place: expression.at(expression.expression.tree.span),
  });
}

const UNMASKED: ReadonlySet<string> = new Set(['event', 'digest', 'hash', 'outcome', 'code', 'run']);

/** A copy with every text in it masked, but for the fields that hold words of ours. */
function maskAll<T>(value: T, mask: (text: string) => string): T {
  if (typeof value === 'string') return mask(value) as T;
  if (Array.isArray(value)) return value.map((item: unknown) => maskAll(item, mask)) as T;
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([name, member]) => [
      name,
      UNMASKED.has(name) ? (member as unknown) : maskAll<unknown>(member, mask),
    ]),
  ) as T;
}

/** A problem as an event carries it. */
export function eventProblem({ code, message, instead, place }: Problem): {
  code: string;
  message: string;
  instead?: string;
  place?: { file: string; line: number; column: number };
} {
  return {
    code,
    message,
    ...(instead === undefined ? {} : { instead }),
    ...(place === undefined ? {} : { place }),
  };
}
