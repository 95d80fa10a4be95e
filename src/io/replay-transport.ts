import { headersOfRecorded } from '../core/record/response.ts';
import type { Transport, WireResponse, WireRequest } from '../core/ports.ts';
import type { ProblemCode } from '../core/problem-codes.ts';
import { ProblemError } from '../core/problems.ts';
import type { EventBody } from '../core/events.ts';
import type { RecordedAttempt, RecordedStep } from '../core/record/recorded-run.ts';

/** Where recorded responses come from. */
export interface Replayed {
  readonly id: string;
  steps(): Iterable<RecordedStep>;
  bytes(part: { readonly body?: EventBody | undefined }): Uint8Array | undefined;
}

/**
 * Responses requests with what was answered to the same ones in a recorded run: same method, path, query and body, in the
 * order in which they were sent. Sends nothing. A request that was not recorded is `not-recorded`.
 */
export class ReplayTransport implements Transport {
  readonly #run: Replayed;
  readonly #responses = new Map<string, RecordedAttempt[]>();

  constructor(run: Replayed) {
    this.#run = run;
    for (const step of run.steps()) {
      const before = step.before?.attempts ?? 0;
      const own = new Map<string, { attempt: RecordedAttempt; isBefore: boolean }[]>();
      step.attempts.forEach((attempt, i) => {
        // A credential was renewed behind it, which happens by itself here.
        if (attempt.response?.status === 401 && step.attempts[i + 1] && i + 1 !== before) return;
        const { method, url } = attempt.sent;
        const key = keyOf(method, url, textOf(run.bytes(attempt.sent)));
        own.set(key, [...(own.get(key) ?? []), { attempt, isBefore: i < before }]);
      });
      for (const [key, all] of own) {
        // What was sent again when the run went on counts; of what was not, the response that it had before.
        const again = all.filter(({ isBefore }) => !isBefore);
        const last = (again.length > 0 ? again : all).map(({ attempt }) => attempt);
        this.#responses.set(key, [...(this.#responses.get(key) ?? []), ...last]);
      }
    }
  }

  async send(request: WireRequest): Promise<WireResponse> {
    const body = request.body instanceof Uint8Array ? textOf(request.body) : '';
    const attempt = this.#responses.get(keyOf(request.method, request.url, body))?.shift();
    if (!attempt)
      throw new ProblemError({
        code: 'not-recorded',
        message: `${request.method} ${request.url} is new: the run ${this.#run.id} has no response to it, and nothing is sent`,
        hint: 'batharon run, which sends it',
      });
    const { response, failed } = attempt;
    if (failed)
      throw new ProblemError({ code: failed.problem.code as ProblemCode, message: failed.problem.message });
    const bytes = response && this.#run.bytes(response);
    if (!response || !bytes)
      throw new ProblemError({
        code: 'not-recorded',
        message: response
          ? `the response to ${request.method} ${request.url} was not kept whole`
          : `the run ${this.#run.id} was interrupted before ${request.method} ${request.url} was answered`,
        hint: 'batharon run, which sends it',
      });
    const headers = headersOfRecorded(response.headers.filter(([name]) => name !== 'set-cookie'));
    const whole = { status: response.status, headers, body: bytes, phases: {} };
    const receive = request.receive?.(whole);
    if (!receive) return whole;
    await receive(bytes);
    return { ...whole, body: new Uint8Array() };
  }
}

function textOf(bytes: Uint8Array | undefined): string {
  return bytes ? Buffer.from(bytes).toString('utf8') : '';
}

/** Masks stand in a record as they are, and in a request percent-encoded; where a service lives does not count. */
function keyOf(method: string, url: string, body: string): string {
  const path = url.replace(/^https?:\/\/[^/?#]*/, '').replace(/#.*$/, '');
  let plain = path.replaceAll('+', ' ');
  try {
    plain = decodeURIComponent(plain);
  } catch {
    // a percent sign that is no code
  }
  return `${method} ${plain} ${body}`;
}
