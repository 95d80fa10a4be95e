import type { CallStep } from '../../chain/model.ts';
import type { Credential } from '../../chain/project.ts';
import { writeJson } from '../../language/json.ts';
import type { Maybe, Value } from '../../language/values.ts';
import type { Authorisation } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { responseNames } from '../wire/response-names.ts';
import { renderFields } from './authorise.ts';
import type { CallResult } from '../wire/call-result.ts';
import type { SignIns, SignInScope } from '../scope/sign-ins.ts';
import { placed } from '../scope/with-place.ts';
import { renderTyped } from '../scope/insert.ts';

interface SignedIn {
  readonly results: Promise<ReadonlyMap<string, Value>>;
  /** It was made because an earlier one was refused. */
  readonly renewed: boolean;
  /** A service has accepted it. */
  worked: boolean;
}

/** Credentials of kind chain: each signs in once for all that runs at the same time. */
export class SignInChains implements SignIns {
  readonly #done = new Map<string, SignedIn>();
  readonly #refused = new Set<string>();

  /** Throws `sign-in-failed`. */
  async authorise(context: SignInScope, credential: Credential, step: CallStep): Promise<Authorisation> {
    const signIn = credential.signIn!;
    // Waiting for itself it would never end.
    if (context.signingIn.has(credential.name))
      throw failed(
        credential,
        step,
        `${signIn.file} uses ${credential.name} itself`,
        'as: nobody on its calls',
      );
    const inputs = inputsOf(context, credential, step);
    const key = keyOf(credential, inputs);
    let signedIn = this.#done.get(key);
    const isNew = !signedIn;
    if (!signedIn) {
      signedIn = {
        results: this.#run(context, credential, step, inputs),
        renewed: this.#refused.has(key),
        worked: false,
      };
      this.#done.set(key, signedIn);
    }
    let results: ReadonlyMap<string, Value>;
    try {
      results = await signedIn.results;
    } catch (error) {
      this.#done.delete(key);
      throw error;
    }
    const environment = context.environment(
      undefined,
      undefined,
      (name): Maybe => results.get(name) ?? context.sentName(name),
    );
    return {
      headers: renderFields(context, signIn.headers, environment),
      query: [],
      secrets: [],
      ...(isNew ? { signedIn: {} } : {}),
    };
  }

  async #run(
    context: SignInScope,
    credential: Credential,
    step: CallStep,
    inputs: Readonly<Record<string, Value>>,
  ): Promise<ReadonlyMap<string, Value>> {
    const signIn = credential.signIn!;
    const chain = context.options.signInChains?.get(credential.name);
    if (!chain) throw failed(credential, step, `there is no chain ${signIn.file}`);
    const { results, problem } = await context.runNested(
      chain,
      inputs,
      credential.name,
      context.address(step),
    );
    if (problem) throw failed(credential, step, problem.message, problem.hint);
    return results;
  }

  /** Whether a response says that signing in again may help. It does so once for each sign-in that never worked. */
  renew(
    context: SignInScope,
    credential: Credential,
    { result, step }: { readonly step: CallStep; readonly result: CallResult },
  ): boolean {
    const { signIn } = credential;
    const key = keyOf(credential, inputsOf(context, credential, step));
    const signedIn = this.#done.get(key);
    if (!signedIn) return false;
    const condition = signIn!.renewWhen;
    const environment = context.environment(undefined, result.body.value, responseNames(result));
    const refused = condition
      ? placed(condition, () => condition.expression.test(environment)) === true
      : result.response.status === 401;
    if (!refused) signedIn.worked = true;
    if (!refused || (signedIn.renewed && !signedIn.worked)) return false;
    this.#done.delete(key);
    this.#refused.add(key);
    return true;
  }
}

/** The inputs of the chain that signs in: those of the credential, and those that the call or its service gives it. */
function inputsOf(
  context: SignInScope,
  { name, signIn }: Credential,
  step: CallStep,
): Readonly<Record<string, Value>> {
  const carried = step.as === undefined ? context.serviceOf(step) : step;
  const own = carried?.asInputs?.get(name) ?? [];
  const inserter = context.inserter(context.environment(step, undefined, (one) => context.sentName(one)));
  return Object.fromEntries(
    [...signIn!.inputs, ...own].flatMap(([input, typed]): [string, Value][] => {
      const value = renderTyped(inserter, typed);
      return value === undefined ? [] : [[input, value]];
    }),
  );
}

/** A chain signs in once for each set of inputs. */
function keyOf({ name }: Credential, inputs: Readonly<Record<string, Value>>): string {
  const sorted = Object.entries(inputs).sort(([one], [other]) => (one < other ? -1 : 1));
  return `${name} ${writeJson(sorted.map(([input, value]) => [input, value]))}`;
}

function failed({ name }: Credential, step: CallStep, why: string, hint?: string): ProblemError {
  return new ProblemError({
    code: 'sign-in-failed',
    message: `${name} could not sign in: ${why}`,
    place: step.at,
    ...(hint === undefined ? {} : { hint }),
  });
}
