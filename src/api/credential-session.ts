import type { EventOf } from '../core/events.ts';
import { readChain } from '../core/chain/read/read-chain.ts';
import { RunContext } from '../core/engine/scope/context.ts';
import { prepare } from '../core/engine/run/prepare.ts';
import { fillCredential } from '../core/engine/sign-in/authorise.ts';
import type { FilledCredential } from '../core/ports.ts';
import type { Loaded } from './load.ts';
import type { OpenWorld } from './open-world.ts';

/** Where a token is asked for, and for what until when; undefined where one was kept. */
export type SignedIn = Pick<EventOf<'signed-in'>, 'scope' | 'until'> | undefined;

/** A credential with its secrets, used without a chain. */
export class CredentialSession {
  readonly #world: OpenWorld;
  readonly #filled: FilledCredential;
  readonly #signal: AbortSignal;

  private constructor(world: OpenWorld, filled: FilledCredential, signal: AbortSignal) {
    this.#world = world;
    this.#filled = filled;
    this.#signal = signal;
  }

  /** Fetches the secrets of a credential. Throws `secret-missing`. */
  static async open(
    { project, signInChains }: Loaded,
    world: OpenWorld,
    credential: string,
    signal: AbortSignal,
  ): Promise<CredentialSession> {
    // A chain of one request that carries the credential needs the same secrets; it is never sent.
    const text = `chain: sign-in\nsteps:\n  - call: GET https://localhost/\n    as: ${credential}\n`;
    const { chain } = readChain('sign-in', text, project);
    const context = new RunContext(chain!, project, world.ports, {
      options: {
        id: 'sign-in',
        inputs: {},
        signal,
        emit: () => undefined,
        signInChains,
        ...(world.practice === undefined ? {} : { practice: world.practice }),
      },
    });
    await prepare(context);
    const filled = fillCredential(context, { as: credential, url: 'https://localhost/' });
    return new CredentialSession(world, filled, context.interruption.signal);
  }

  /** Gets a token, or takes the one that is kept. Throws `sign-in-failed`. */
  async signIn(): Promise<SignedIn> {
    const request = { method: 'GET', url: 'https://localhost/', headers: [] };
    return (await this.#world.ports.credentials.authorise(this.#filled, request, this.#signal)).signedIn;
  }

  /** Forgets what is kept of the credential. */
  forget(): Promise<void> {
    return this.#world.ports.credentials.forget(this.#filled);
  }
}
