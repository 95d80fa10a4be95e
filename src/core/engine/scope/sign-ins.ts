import type { CallStep, Chain, Step } from '../../chain/model.ts';
import type { Credential, Service } from '../../chain/project.ts';
import type { Environment } from '../../language/environment.ts';
import type { Maybe, Value } from '../../language/values.ts';
import type { Authorisation } from '../../ports.ts';
import type { Problem } from '../../problems.ts';
import type { CallResult } from '../wire/call-result.ts';
import type { Inserter } from './insert.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import type { RunOptions } from './run-options.ts';

/** What a nested chain came to. */
export interface NestedResult {
  readonly results: ReadonlyMap<string, Value>;
  readonly problem?: Problem;
}

/** Carries out another chain inside a run. */
export type RunNested = (
  chain: Chain,
  inputs: Readonly<Record<string, Value>>,
  credential: string,
  address: string,
) => Promise<NestedResult>;

/** The place in a run from which a chain signs in. */
export interface SignInScope {
  readonly options: RunOptions;
  readonly hidden: SecretsOfRun;
  /** Credentials for which the chain that asks is signing in itself. */
  readonly signingIn: ReadonlySet<string>;
  readonly runNested: RunNested;
  address(step: Step): string;
  environment(step: Step | undefined, response?: Maybe, more?: (name: string) => Maybe): Environment;
  sentName(name: string): Maybe;
  serviceOf(step: CallStep): Service | undefined;
  inserter(environment: Environment): Inserter;
}

/** Credentials of kind chain, as a run asks them to sign in. */
export interface SignIns {
  authorise(scope: SignInScope, credential: Credential, step: CallStep): Promise<Authorisation>;
  renew(
    scope: SignInScope,
    credential: Credential,
    answered: { readonly step: CallStep; readonly result: CallResult },
  ): boolean;
}
