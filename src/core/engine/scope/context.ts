import type { WarningCode } from '../../problem-codes.ts';
import type { CallStep, Chain, Step } from '../../chain/model.ts';
import type { Project, Service } from '../../chain/project.ts';
import type { Environment, World } from '../../language/environment.ts';
import type { Markup } from '../../language/markup.ts';
import type { Maybe, Value } from '../../language/values.ts';
import { fail } from '../../problems.ts';
import type { Ports } from '../../ports.ts';
import type { Inserter } from './insert.ts';
import { Interruption, sleep } from '../time/interruption.ts';
import type { Pacing } from '../pace/pace.ts';
import { paceFor, serviceLedTo } from '../pace/paces.ts';
import { placed, throwNothing } from './with-place.ts';
import { type Emitted, EventLog } from './event-log.ts';
import { Guarding } from './guarding.ts';
import { StepEnvironment } from './step-environment.ts';
import type { Masker } from '../masking/masker.ts';
import { SHORTEST_NEEDLE } from '../masking/needles.ts';
import { SecretNames } from '../masking/secret-names.ts';
import { SecretsOfRun } from '../masking/secrets-of-run.ts';
import { Names } from './names.ts';
import { Cases } from './wanted-cases.ts';
import type { ContractState } from './contract-state.ts';
import type { RunOptions } from './run-options.ts';
import { RunState } from './run-state.ts';
import type { RunNested, SignIns } from './sign-ins.ts';
import { Watchdog } from '../time/watchdog.ts';

/** Where in a run a step is carried out: in the chain itself, in an iteration of a loop, or in a chain that is followed. */
interface Where {
  readonly names: Names;
  /** The address of the iteration or step around, as it is at run time: `fire[7]`. */
  readonly prefix: string;
  /** How much of the addresses as written it stands for: the length of `fire[]`. */
  readonly cut: number;
  /** The count of the innermost loop, from 0. */
  readonly index?: number;
  /** What fails here is accepted, as it is in what stands around. */
  readonly isAccepting?: boolean;
}

/** A run, seen from one place in it: what its parts share, and the names in reach there. */
export class RunContext {
  readonly chain: Chain;
  readonly project: Project;
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly names: Names;
  /** The count of the innermost loop, from 0; nothing outside loops. */
  readonly index: number | undefined;
  /** What fails here is accepted. */
  readonly isAccepting: boolean;
  readonly #shared: RunState;
  readonly #prefix: string;
  readonly #cut: number;
  /** The place around this one. */
  readonly #around: RunContext | undefined;
  /** Something is told of this place as soon as a step is carried out in it. */
  #untold: (() => void) | undefined;
  /** Credentials for which this chain is signing in. */
  readonly signingIn: ReadonlySet<string>;
  /** Carries out another chain inside this run. */
  runNested: RunNested = () => Promise.reject(new Error('no runner'));

  /** The context of a whole run. A chain that signs in (`within`) shares the secrets and sign-ins of the run around it. */
  constructor(
    chain: Chain,
    project: Project,
    ports: Ports,
    {
      options,
      within,
      from,
    }: {
      readonly options: RunOptions;
      readonly within?: { readonly context: RunContext; readonly credential: string } | undefined;
      readonly from?: { readonly context: RunContext; readonly where: Where } | undefined;
    },
  ) {
    this.chain = chain;
    this.project = project;
    this.ports = ports;
    this.options = options;
    this.#around = from?.context;
    if (from) {
      this.#shared = from.context.#shared;
      this.signingIn = from.context.signingIn;
      this.runNested = from.context.runNested;
    } else {
      const hidden = within?.context.hidden ?? new SecretsOfRun(new SecretNames(project.mask));
      this.#shared = new RunState(new EventLog(hidden, ports.clock, options), hidden, {
        interruption: Interruption.of(options.signal),
        paces: options.paces ?? new Map<string, Pacing>(),
        watchdog: within?.context.watchdog ?? new Watchdog(ports.clock),
      });
      // What signs in changes nothing that a guard is for.
      if (!within)
        this.#shared.guarding = new Guarding(project, ports.confirm, (text) => this.masker.text(text));
      if (!within) this.atEnd(() => this.watchdog.close());
      if (!within && options.cases) this.#shared.cases = new Cases(options.cases);
      this.#shared.signIns = within?.context.signIns;
      for (const [name, value] of within?.context.values ?? []) this.#shared.values.set(name, value);
      this.signingIn = new Set(within ? [...within.context.signingIn, within.credential] : []);
    }
    const { names, prefix, cut, index, isAccepting }: Where = from?.where ?? {
      names: new Names(),
      prefix: '',
      cut: 0,
    };
    this.isAccepting = isAccepting ?? from?.context.isAccepting ?? false;
    this.names = names;
    this.#prefix = prefix;
    this.#cut = cut;
    this.index = index;
  }

  /** The same run inside an iteration of a loop, whose names end with it. */
  iteration(loop: Step, index: number, names: Names = new Names(this.names)): RunContext {
    const where = { names, prefix: `${this.address(loop)}[${index}]`, cut: loop.address.length + 2, index };
    return this.#at(this.chain, where);
  }

  /** The same run inside a chain that a step follows. */
  following(step: Step, chain: Chain): RunContext {
    const where = { names: new Names(), prefix: `${this.address(step)}.`, cut: 0 };
    return this.#at(chain, where);
  }

  /** The place of a step of an earlier run, by its address at that time, with the names that it needs. */
  resumedAt(chain: Chain, step: Step, address: string, names: Names): RunContext {
    const where = { names, prefix: address, cut: step.address.length };
    return this.#at(chain, where);
  }

  #at(chain: Chain, where: Where): RunContext {
    return new RunContext(chain, this.project, this.ports, {
      options: this.options,
      from: { context: this, where },
    });
  }

  /** The same place, in which failures are accepted. */
  accepting(): RunContext {
    return this.withNames(this.names, true);
  }

  /** The same place with other names. */
  withNames(names: Names, isAccepting: boolean = this.isAccepting): RunContext {
    const where = {
      names,
      prefix: this.#prefix,
      cut: this.#cut,
      isAccepting,
      ...(this.index === undefined ? {} : { index: this.index }),
    };
    return this.#at(this.chain, where);
  }

  /** Calls back before the first step is carried out here. */
  tellBefore(tell: () => void): void {
    this.#untold = tell;
  }

  /** Nothing has been carried out here. */
  get isUntouched(): boolean {
    return this.#untold !== undefined;
  }

  /** A step is about to be carried out here. */
  touch(): void {
    this.#around?.touch();
    const tell = this.#untold;
    this.#untold = undefined;
    tell?.();
  }

  /** The address of a step as it is at run time: `fire[7].load`. */
  address(step: Step): string {
    return this.#prefix === '' ? step.address : this.#prefix + step.address.slice(this.#cut);
  }

  /** What is secret in this run. */
  get hidden(): SecretsOfRun {
    return this.#shared.hidden;
  }

  get guarding(): Guarding | undefined {
    return this.#shared.guarding;
  }

  /** The titled iterations that are wanted, where not all are. */
  get cases(): Cases | undefined {
    return this.#shared.cases;
  }

  get contract(): ContractState {
    return this.#shared.contract;
  }
  get masker(): Masker {
    return this.#shared.hidden.masker;
  }

  /** Secrets that are too short to be found where they were not put: what each is called. */
  get tooShort(): Set<string> {
    return this.#shared.tooShort;
  }

  /** Says once of a secret that it is too short to be found where it was not put. */
  warnTooShort(step: Step | undefined, which: string): void {
    this.warn(
      step,
      'secret-too-short',
      `${which} has fewer than ${SHORTEST_NEEDLE} characters: it is masked where it is inserted, but not where it occurs elsewhere`,
    );
  }

  get values(): Map<string, Value> {
    return this.#shared.values;
  }

  get secrets(): Map<string, string> {
    return this.#shared.secrets;
  }

  get serviceUrls(): Map<string, string> {
    return this.#shared.serviceUrls;
  }

  get serviceBases(): Map<string, string> {
    return this.#shared.serviceBases;
  }

  get serviceOrigins(): Map<string, string> {
    return this.#shared.serviceOrigins;
  }

  get calls(): number {
    return this.#shared.calls;
  }

  /** Counts requests that were sent. */
  count(calls: number): void {
    this.#shared.calls += calls;
  }

  /** There where an expression reads XML. */
  set markup(markup: Markup) {
    this.#shared.markup = markup;
  }

  /** When the run began, in milliseconds since 1970. */
  get started(): number {
    return (this.#shared.started ??= this.options.past?.started ?? this.ports.clock.now());
  }

  get interruption(): Interruption {
    return this.#shared.interruption;
  }

  get watchdog(): Watchdog {
    return this.#shared.watchdog;
  }

  /** From here on an interruption ends nothing: what is left is undo and cleanup. */
  ignoreInterruption(): void {
    this.#shared.interruption = Interruption.of(new AbortController().signal);
  }

  /** The sign-ins by chains, shared with chains inside this run. */
  get signIns(): SignIns | undefined {
    return this.#shared.signIns;
  }

  shareSignIns(signIns: SignIns): void {
    this.#shared.signIns = signIns;
  }

  /** Masks an event and sends it out. */
  emit(event: Emitted): void {
    this.#shared.log.emit(event);
  }

  /** Where what happens elsewhere is told. */
  get log(): EventLog {
    return this.#shared.log;
  }

  /** Something went wrong in the program itself: the run goes on to its end, and fails. */
  noteDefect(error: unknown): void {
    this.#shared.log.noteDefect(error);
  }

  get hasDefect(): boolean {
    return this.#shared.log.hasDefect;
  }

  /** Milliseconds on the clock's scale that never jumps, for what is told of how long something took. */
  elapsed(): number {
    return this.#shared.log.elapsed();
  }

  /** Says something that is no error; of the iterations of a loop the first says it for all. */
  warn(step: Step | undefined, code: WarningCode, message: string): void {
    this.#shared.log.warn(step && { written: step.address, address: this.address(step) }, code, message);
  }

  /** How often a credential has signed in for a step, this time included. */
  countSignIn(address: string): number {
    return this.#shared.countSignIn(address);
  }

  /** What expressions may ask of the world; the time is the same throughout one environment. */
  world(): World {
    let now: number | undefined;
    const { clock, chance, digests, files } = this.ports;
    return {
      now: () => (now ??= clock.now()),
      chance: () => chance.next(),
      digest: (algorithm, data) => digests.digest(algorithm, data),
      hmac: (algorithm, key, data) => digests.hmac(algorithm, key, data),
      ...(this.#shared.markup ? { markup: this.#shared.markup } : {}),
      fits: this.contract.fitting(this.chain, this.project),
      file: (path) =>
        files.bytes?.(path, this.chain.file) ?? fail('file-not-found', `the file ${path} can't be read here`),
      zone: this.project.zone,
    };
  }

  /** The pace of the service that a call goes to, or of its origin where it has none. */
  paceOf(step: CallStep, url: string): Pacing | undefined {
    const service = this.serviceOf(step);
    const origin = service && this.serviceOrigins.get(service.name);
    const isAway = origin !== undefined && !url.startsWith(origin);
    const name = isAway ? serviceLedTo(this.serviceOrigins, url) : (service?.name ?? new URL(url).host);
    return name === undefined ? undefined : this.paceFor(name);
  }

  /** The pace of a service, or of a host that is none of the project's. */
  paceFor(name: string): Pacing {
    const { ports, project } = this;
    return paceFor(this.#shared.paces, name, { ports, project, origin: this.serviceOrigins.get(name) });
  }

  /** Calls back when the run has ended. */
  atEnd(callback: () => void): void {
    this.#shared.atEnd.push(callback);
  }

  /** Ends what lives as long as the run: calls taken out of a budget and not used are given back. */
  async close(): Promise<void> {
    for (const callback of this.#shared.atEnd) callback();
    for (const pace of this.#shared.paces.values()) await pace.close();
  }

  /** The paces of the run, for chains inside it. */
  get paces(): Map<string, Pacing> {
    return this.#shared.paces;
  }

  /** The service of a call, where it has one. */
  serviceOf({ target }: CallStep): Service | undefined {
    return target.type === 'url' ? undefined : this.project.services.get(target.service);
  }

  /** From here on secrets that are learned are told to the record, sealed. */
  tellLearned(): void {
    const { record, sealer } = this.ports;
    if (!record || !sealer) return;
    this.masker.onLearn = (secret, label) =>
      this.emit({ event: 'learned', label, sealed: sealer.seal(secret) });
  }

  /** What expressions of a step see: kept names, and with `more` what only this step has. */
  environment(step: Step | undefined, response?: Maybe, more?: (name: string) => Maybe): Environment {
    return new StepEnvironment(this, step, response, more);
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
      value: (insertion) => placed(insertion, () => insertion.expression.evaluate(environment)),
      nothing: (insertion) => throwNothing(insertion, environment),
      ...(this.options.marks ? { marks: true } : {}),
    };
  }

  /** Waits on the clock; ends early, with the signal's reason, when the run is interrupted. */
  sleep(milliseconds: number): Promise<void> {
    return sleep(this.ports.clock, this.interruption, milliseconds);
  }
}
