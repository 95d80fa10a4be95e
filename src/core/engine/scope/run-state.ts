import type { Markup } from '../../language/markup.ts';
import type { Value } from '../../language/values.ts';
import type { EventLog } from './event-log.ts';
import type { Guarding } from './guarding.ts';
import type { Interruption } from '../time/interruption.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import type { Pacing } from '../pace/pace.ts';
import type { Watchdog } from '../time/watchdog.ts';
import type { SignIns } from './sign-ins.ts';
import { ContractState } from './contract-state.ts';
import type { Cases } from './wanted-cases.ts';

/** What all parts of a run share, those of chains that it follows or signs in with too. */
export class RunState {
  readonly log: EventLog;
  readonly hidden: SecretsOfRun;
  readonly secrets = new Map<string, string>();
  /** The values of the project, once they are computed. */
  readonly values = new Map<string, Value>();
  readonly serviceUrls = new Map<string, string>();
  /** The same without slashes at the end, for paths to be put behind. */
  readonly serviceBases = new Map<string, string>();
  readonly serviceOrigins = new Map<string, string>();
  /** Secrets that are too short to be found where they were not put. */
  readonly tooShort = new Set<string>();
  calls = 0;
  /** How often a credential of kind chain has signed in, by the addresses under which it is told. */
  readonly signInCounts = new Map<string, number>();
  readonly paces: Map<string, Pacing>;
  readonly watchdog: Watchdog;
  readonly atEnd: (() => void)[] = [];
  markup: Markup | undefined;
  interruption: Interruption;
  started: number | undefined;
  signIns: SignIns | undefined;
  guarding: Guarding | undefined;
  /** The titled iterations that are wanted, where not all are. */
  cases: Cases | undefined;
  readonly contract = new ContractState();

  constructor(
    log: EventLog,
    hidden: SecretsOfRun,
    { interruption, paces, watchdog }: Pick<RunState, 'interruption' | 'paces' | 'watchdog'>,
  ) {
    this.log = log;
    this.hidden = hidden;
    this.interruption = interruption;
    this.paces = paces;
    this.watchdog = watchdog;
  }

  countSignIn(address: string): number {
    const count = (this.signInCounts.get(address) ?? 0) + 1;
    this.signInCounts.set(address, count);
    return count;
  }
}
