import { countOf } from '../../count-of.ts';
import type { Callback, CallStep } from '../../chain/model.ts';
import { brief } from '../../language/show.ts';
import { Duration, objectOf, type Value } from '../../language/values.ts';
import type { ArrivedRequest } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { headerObject } from '../wire/response-names.ts';
import { fillCredential } from '../sign-in/authorise.ts';
import type { RunContext } from '../scope/context.ts';
import { hideKept } from '../exchange/hide-kept.ts';
import { durationOf } from '../scope/settings.ts';
import { readResponseBody } from '../wire/read-response.ts';
import { summarise } from '../exchange/report-call.ts';

const ACCEPTED = 204;
const NOT_SIGNED = 401;
/** The step has ended, so nobody waits at its address any more. */
const GONE = 410;

/**
 * Waits for the request that a service sends to the address of one step. One that comes before the response to the request
 * which caused it is kept until then. The address answers until the run ends, so that what comes twice is noticed.
 */
export class CallbackWait {
  readonly url: string;
  readonly #context: RunContext;
  readonly #step: CallStep;
  readonly #setting: Callback;
  readonly #inbox: Inbox;

  private constructor(
    context: RunContext,
    step: CallStep,
    setting: Callback,
    { url, inbox }: { url: string; inbox: Inbox },
  ) {
    this.#context = context;
    this.#step = step;
    this.#setting = setting;
    this.#inbox = inbox;
    this.url = url;
  }

  /** Throws `listener-failed`. */
  static async open(context: RunContext, step: CallStep, setting: Callback): Promise<CallbackWait> {
    const { callbacks } = context.ports;
    if (!callbacks)
      throw new ProblemError({
        code: 'listener-failed',
        message: 'nothing can call back here',
        place: step.at,
      });
    const inbox = new Inbox();
    const opened = await callbacks.open((arrived) => take(context, step, setting, { inbox, arrived }));
    context.atEnd(() => opened.close());
    return new CallbackWait(context, step, setting, { url: opened.url, inbox });
  }

  /** The first request for which `when` holds. Throws `no-callback`. */
  async arrived(): Promise<Value> {
    const context = this.#context;
    const within = durationOf(this.#setting.within, context.environment(this.#step));
    const { clock } = context.ports;
    const ends = clock.elapsed() + within;
    context.emit({
      event: 'waiting',
      step: context.address(this.#step),
      for: within,
      why: 'callback',
      note: this.url,
    });
    for (let seen = 0; ;) {
      const one = this.#inbox.requests.shift();
      if (one !== undefined) {
        seen++;
        if (this.#matches(one)) return one;
        continue;
      }
      const left = ends - clock.elapsed();
      if (left <= 0) return this.#nobody(within, seen);
      await this.#more(left);
    }
  }

  #matches(arrived: Value): boolean {
    const { when } = this.#setting;
    if (!when) return true;
    const environment = this.#context.environment(this.#step, undefined, (name) =>
      name === 'arrived' ? arrived : undefined,
    );
    try {
      if (when.expression.test(environment) === true) return true;
      this.#left(`${when.expression.text} does not hold: ${when.expression.whatCame(environment)}`);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.#left(error.problem.message);
    }
    return false;
  }

  #left(why: string): void {
    this.#context.warn(this.#step, 'callback-ignored', `a callback was left aside: ${why}`);
  }

  /** Waits until something comes in, or so many milliseconds have passed. */
  async #more(milliseconds: number): Promise<void> {
    const { interruption, ports } = this.#context;
    await new Promise<void>((resolve, reject) => {
      const end = (): void => {
        cancel();
        interruption.delete(stop);
        this.#inbox.onArrival = undefined;
      };
      const stop = (reason: Error): void => {
        end();
        reject(reason);
      };
      const go = (): void => {
        end();
        resolve();
      };
      const cancel = ports.clock.timer(milliseconds, go);
      this.#inbox.onArrival = go;
      interruption.add(stop);
    });
  }

  #nobody(within: number, seen: number): never {
    const { when } = this.#setting;
    const came =
      seen === 0
        ? `no request arrived at ${this.url}`
        : `${countOf(seen, 'request')} came in, but ${when?.expression.text ?? 'none'} held for none of them`;
    throw new ProblemError({
      code: 'no-callback',
      message: `${came} within ${brief(new Duration(within))}`,
      hint:
        seen === 0
          ? 'callbacks: { public-url } in the project file, where the service does not run on this machine; or a longer within:'
          : 'another when:, or a longer within:',
      place: this.#step.at,
    });
  }

  /** What comes from now on is noticed, and no more. */
  close(): void {
    this.#inbox.closed = true;
  }
}

class Inbox {
  readonly requests: Value[] = [];
  onArrival: (() => void) | undefined;
  closed = false;
}

/** Takes a request that came in, and gives the status with which it is answered. */
async function take(
  context: RunContext,
  step: CallStep,
  { signedBy }: Callback,
  { inbox, arrived }: { readonly inbox: Inbox; readonly arrived: ArrivedRequest },
): Promise<number> {
  const unsigned = signedBy === undefined ? undefined : await whyNotSigned(context, signedBy, arrived);
  const status = inbox.closed ? GONE : unsigned === undefined ? ACCEPTED : NOT_SIGNED;
  const reading = readResponseBody(arrived.headers, arrived.body, {}, context.ports.formats);
  const body = reading instanceof Promise ? await reading : reading;
  context.hidden.learn(body);
  context.hidden.learnFields(arrived.headers);
  const url = new URL(arrived.url);
  const request = objectOf([
    ...(body.value === undefined ? [] : [['body', body.value] as const]),
    ['text', body.text ?? ''],
    ['headers', headerObject(arrived.headers)],
    ['method', arrived.method],
    ['path', url.pathname],
    ['query', objectOf(url.searchParams)],
  ]);
  hideKept(context, step, undefined, (name) => (name === 'arrived' ? request : undefined));
  context.emit({
    event: 'callback-received',
    step: context.address(step),
    method: arrived.method,
    url: arrived.url,
    headers: context.hidden.fields(arrived.headers),
    body: summarise(context, arrived.body, body.type, body.text),
    answered: status,
  });
  if (inbox.closed)
    context.warn(
      step,
      'callback-ignored',
      'a callback came that nothing waited for any more; it was answered with 410',
    );
  else if (unsigned !== undefined)
    context.warn(step, 'not-signed', `a callback was refused with 401: ${unsigned}`);
  if (status !== ACCEPTED) return status;
  if (body.problem)
    context.warn(
      step,
      'callback-ignored',
      `a callback came whose body is not ${body.problem.expected}: ${body.problem.got}; arrived.text has it`,
    );
  inbox.requests.push(request);
  inbox.onArrival?.();
  return ACCEPTED;
}

/** Why a request is not signed by a credential; undefined if it is. */
function whyNotSigned(
  context: RunContext,
  as: string,
  { method, url, headers, body }: ArrivedRequest,
): Promise<string | undefined> {
  const filled = fillCredential(context, { as, url });
  return context.ports.credentials.verify(filled, { method, url, headers, body });
}
