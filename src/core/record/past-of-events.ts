import { headersOfRecorded } from './response.ts';
import { asWritten, iterationAt, isOfSignIn } from '../address.ts';
import { isSafe } from '../methods.ts';
import {
  SAID_PROCESSED,
  type Past,
  type PastResponse,
  type PastResponses,
  type PastRequest,
  type PastRow,
  type PastStep,
  type PastIteration,
  isDone,
} from '../engine/past-run.ts';
import type { EventOf, Outcome, RunEvent } from '../events.ts';
import { decodeBase64, utf8 } from '../language/encodings.ts';
import { readTyped } from '../language/typed-json.ts';
import type { Value } from '../language/values.ts';
import type { Phases } from '../ports.ts';
import { fail } from '../problems.ts';

/** What the record keeps besides events. */
export interface Kept {
  /** The text that was sealed; undefined if it can't be opened. */
  open(sealed: string): string | undefined;
  /** A body by its digest; undefined if it was not kept. */
  body(digest: string): Uint8Array | undefined;
}

/** What a person says of requests whose outcome is not known, by the addresses of their steps. */
export interface Decisions {
  /** They were processed. */
  readonly sent: (address: string) => boolean;
  /** They were not, and are sent again. */
  readonly notSent: (address: string) => boolean;
}

/** A request that may be sent only once, of which it is not known whether the service has processed it. */
export interface Undecided {
  readonly step: string;
  readonly request: EventOf<'request-sent'>;
  /** What is known: a response of 5xx, a failure; undefined if the run was interrupted. */
  readonly response?: EventOf<'response-received'>;
  readonly failed?: EventOf<'request-failed'>;
}

/** What a run had done, for the engine to go on from, and what a person has to say before. */
export interface PastRun {
  readonly past: Past;
  readonly inputs: ReadonlyMap<string, Value>;
  /** What was kept outside of iterations, and what can be said of steps by their names. */
  readonly names: ReadonlyMap<string, Value>;
  /** Undo that was booked and has not been carried out. */
  readonly booked: Past['booked'];
  /** How many steps of undo and cleanup were carried out. */
  readonly tookBack: number;
  readonly undecided: readonly Undecided[];
  /** The addresses of steps that passed, and of those around them. */
  readonly done: ReadonlySet<string>;
  /** What was answered to requests that may change something. */
  readonly responses: () => PastResponses;
}

interface SeenRequest {
  readonly sent: EventOf<'request-sent'>;
  response?: EventOf<'response-received'>;
  failed?: EventOf<'request-failed'>;
}

interface SeenStep {
  fingerprint: string;
  outcome?: Outcome;
  readonly kept: Map<string, Value>;
  named?: Value;
  url?: string;
  requests: SeenRequest[];
  /** A person has said that its request was processed. */
  isSaid?: boolean;
  row?: PastRow;
}

/** The statuses that say that a request was refused, so that it has changed nothing. */
const isRefused = (status: number): boolean => status >= 400 && status < 500;

/**
 * Reads the events of a run for it to be gone on with. `given` says of a step the values of names that are lost with its response. Throws
 * `cannot-resume` where something that was sealed can't be opened.
 */
export function pastOf(
  events: Iterable<RunEvent>,
  kept: Kept,
  decisions: Decisions,
  given: (address: string) => ReadonlyMap<string, Value> = () => new Map(),
): PastRun {
  const seen = new Seen(kept);
  for (const event of events) seen.take(event);
  const undecided: Undecided[] = [];
  const steps = new Map<string, PastStep>();
  for (const [address, step] of seen.steps) steps.set(address, settle(address, step, undecided));
  const past = seen.past();
  return {
    past: { ...past, step: (address) => steps.get(address) },
    inputs: seen.inputs,
    names: seen.names,
    booked: past.booked,
    tookBack: seen.tookBack,
    undecided,
    done: doneIn(steps),
    responses: () => responsesOf(seen),
  };

  function settle(address: string, step: SeenStep, open: Undecided[]): PastStep {
    const sent: PastRequest[] = [];
    const { length: before } = open;
    let taken = false;
    let key: string | undefined;
    for (const request of step.requests) {
      const { response, failed, sent: event } = request;
      if ((response && isRefused(response.status)) || (failed && !failed.reached)) continue;
      if (event.resend === 'with-key') key = event.key;
      if (event.resend !== 'never') continue;
      if (response && response.status < 400) sent.push(seen.request(event, response));
      // One that was sent again since has been decided on.
      else if (isDone(step.outcome) || request !== step.requests.at(-1) || decisions.notSent(address))
        continue;
      else if (decisions.sent(address)) taken = true;
      else
        open.push({
          step: address,
          request: event,
          ...(response ? { response } : {}),
          ...(failed ? { failed } : {}),
        });
    }
    // Whoever says that it is to be sent again means the answered one too.
    if (decisions.notSent(address)) sent.length = 0;
    if (taken || step.isSaid)
      for (const [name, value] of given(address)) if (!step.kept.has(name)) step.kept.set(name, value);
    return {
      ...(step.outcome === undefined ? {} : { outcome: step.outcome }),
      fingerprint: step.fingerprint,
      kept: step.kept,
      ...(step.named === undefined ? {} : { named: step.named }),
      ...(step.url === undefined ? {} : { url: step.url }),
      ...(key === undefined ? {} : { key }),
      ...(step.row ? { row: step.row } : {}),
      sent,
      taken,
      ...(open.length > before ? { isUndecided: true as const } : {}),
    };
  }
}

/** The addresses of steps that passed, and of the loops and groups around them. */
function doneIn(steps: ReadonlyMap<string, PastStep>): Set<string> {
  const done = new Set<string>();
  for (const [address, step] of steps) {
    if (!isDone(step.outcome) && step.sent.length === 0) continue;
    for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('.')))) {
      done.add(at);
      done.add(iterationAt(at)?.loop ?? at);
    }
  }
  return done;
}

/** Responses by the addresses of steps as written, since the items of a loop may stand in another order now. */
function responsesOf(seen: Seen): PastResponses {
  const byStep = new Map<string, PastRequest[]>();
  return {
    take: (address, isSame) => {
      const written = asWritten(address);
      let requests = byStep.get(written);
      if (!requests) {
        requests = [...seen.steps]
          .filter(([other]) => asWritten(other) === written)
          .flatMap(([, step]) => step.requests)
          .flatMap(({ response, sent }) =>
            response && !isSafe(sent.method) ? [seen.request(sent, response)] : [],
          );
        byStep.set(written, requests);
      }
      const i = requests.findLastIndex(isSame);
      return i < 0 ? undefined : requests.splice(i, 1)[0]!.response;
    },
  };
}

/** Collects what the events tell. */
class Seen {
  readonly steps = new Map<string, SeenStep>();
  readonly inputs = new Map<string, Value>();
  readonly names = new Map<string, Value>();
  tookBack = 0;
  #ending = false;
  readonly #kept: Kept;
  readonly #iterations = new Map<string, { item?: string; outcome?: Outcome }>();
  readonly #starts = new Map<string, Map<string, Value>>();
  readonly #fingerprints = new Map<string, string>();
  readonly #booked = new Map<string, Map<string, Value>>();
  /** What was booked and is taken back, and steps of whose undo some part has failed. */
  readonly #takenBack = new Map<string, Map<string, Value>>();
  readonly #notUndone = new Set<string>();
  readonly #learned: (readonly [string, string])[] = [];
  readonly #cookies: Past['cookies'][number][] = [];
  #started = 0;
  #computed: ReadonlyMap<string, Value> = new Map();

  constructor(kept: Kept) {
    this.#kept = kept;
  }

  past(): Omit<Past, 'step'> {
    return {
      started: this.#started,
      values: this.#computed,
      hashOf: (written) => this.#fingerprints.get(written),
      iteration: (loop, iteration): PastIteration | undefined =>
        this.#iterations.get(`${loop}[${iteration}]`),
      startOf: (loop) => this.#starts.get(loop),
      learned: this.#learned,
      booked: [...this.#booked].map(([step, names]) => ({ step, names })),
      cookies: this.#cookies,
    };
  }

  take(event: RunEvent): void {
    // Whoever has signed in does so again.
    if ('step' in event && event.step !== undefined && isOfSignIn(event.step)) return;
    switch (event.event) {
      case 'run-began':
        this.#started = event.at;
        this.#computed = this.#values(event.values ?? {});
        for (const [name, value] of Object.entries(event.inputs)) {
          const sealed = event.sealed?.[name];
          const typed = event.typed?.[name];
          this.inputs.set(name, this.#value({ value, typed, ...(sealed === undefined ? {} : { sealed }) }));
        }
        return;
      case 'learned':
        this.#learned.push([event.label, this.#open(event.sealed)]);
        return;
      case 'cookies-set':
        this.#cookies.push(JSON.parse(this.#open(event.sealed)) as Past['cookies'][number]);
        return;
      case 'run-resumed':
        for (const [name, value] of this.#values(event.inputs ?? {})) this.inputs.set(name, value);
        this.#ending = false;
        this.#notUndone.clear();
        return;
      case 'undo-began':
      case 'cleanup-began':
        this.#ending = true;
        return;
      case 'step-began':
        return this.#stepBegan(event);
      case 'follow-began':
        this.#starts.set(event.step, this.#values(event.computed));
        return;
      case 'loop-began':
        if (event.start) this.#starts.set(event.step, this.#values(event.start));
        return;
      case 'iteration-began':
        this.#iterations.set(
          `${event.step}[${event.iteration}]`,
          event.item === undefined ? {} : { item: event.item },
        );
        return;
      case 'iteration-ended': {
        const iteration = this.#iterations.get(`${event.step}[${event.iteration}]`);
        if (iteration) iteration.outcome = event.outcome;
        return;
      }
      case 'undo-booked':
        this.#booked.set(event.step, this.#values(event.names));
        return;
      default:
        if ('step' in event && event.step !== undefined) this.#ofStep(this.steps.get(event.step), event);
    }
  }

  #stepBegan({ fingerprint, step: address }: EventOf<'step-began'>): void {
    this.#fingerprints.set(asWritten(address), fingerprint);
    const known = this.steps.get(address);
    if (!known) {
      this.steps.set(address, { fingerprint, kept: new Map(), requests: [] });
      return;
    }
    known.fingerprint = fingerprint;
    delete known.outcome;
  }

  #ofStep(step: SeenStep | undefined, event: RunEvent): void {
    if (!step) return;
    switch (event.event) {
      case 'request-sent':
        step.requests.push({ sent: event });
        step.url = event.url;
        return;
      case 'response-received': {
        if (event.before) return;
        const request = step.requests.findLast(({ sent }) => sent.attempt === event.attempt);
        if (request) request.response = event;
        return;
      }
      case 'request-failed': {
        const request = step.requests.findLast(({ sent }) => sent.attempt === event.attempt);
        if (request) request.failed = event;
        return;
      }
      case 'kept':
        step.kept.set(event.name, this.#value(event));
        if (!event.step.includes('[')) this.names.set(event.name, step.kept.get(event.name)!);
        return;
      case 'named': {
        step.named = this.#value({ value: 'null', ...event });
        const name = /(?:^|\.)([A-Za-z_]\w*)$/.exec(event.step)?.[1];
        if (name !== undefined && !event.step.includes('[')) this.names.set(name, step.named);
        return;
      }
      case 'row-meant':
        step.row = { meant: { row: event.row, alike: event.alike }, written: false };
        return;
      case 'row-written':
        step.row = { written: true };
        return;
      case 'step-ended':
        step.outcome = event.outcome;
        step.isSaid = event.reason === SAID_PROCESSED;
        if (this.#ending) this.#undone(event);
        return;
      default:
    }
  }

  /** A step of undo or cleanup has ended. What was booked is carried out once none of its steps has failed. */
  #undone({ outcome, step }: EventOf<'step-ended'>): void {
    if (outcome === 'passed') this.tookBack++;
    const [, of] = /^(.*)\.undo\./.exec(step) ?? [];
    if (of === undefined || outcome === 'skipped') return;
    const booked = this.#booked.get(of) ?? this.#takenBack.get(of);
    if (!booked) return;
    if (outcome !== 'passed') this.#notUndone.add(of);
    const isDone = !this.#notUndone.has(of);
    (isDone ? this.#booked : this.#takenBack).delete(of);
    (isDone ? this.#takenBack : this.#booked).set(of, booked);
  }

  /** A request that was answered, with the response as it came. */
  request(sent: EventOf<'request-sent'>, response: EventOf<'response-received'>): PastRequest {
    const { text, digest } = sent.body ?? {};
    return {
      method: sent.method,
      url: sent.url,
      ...(text === undefined ? {} : { text }),
      ...(digest === undefined ? {} : { digest }),
      response: this.#response(response),
    };
  }

  #response({ body, headers, phases, sealed, status }: EventOf<'response-received'>): PastResponse {
    if (sealed !== undefined) {
      const whole = JSON.parse(this.#open(sealed)) as { headers: PastResponse['headers']; body: string };
      return { status, headers: whole.headers, body: decodeBase64(whole.body)!, phases: phases as Phases };
    }
    const bytes = body.digest === undefined ? utf8(body.text ?? '') : this.#kept.body(body.digest);
    if (!bytes)
      return fail(
        'cannot-resume',
        `the body of a response that can't be had again is not in the record: ${body.digest!}`,
      );
    const isPart = body.beginning ? { isBeginning: true as const } : {};
    return { status, headers: headersOfRecorded(headers), body: bytes, phases: phases as Phases, ...isPart };
  }

  #open(sealed: string): string {
    return (
      this.#kept.open(sealed) ??
      fail('cannot-resume', "what the run kept of secrets can't be opened: it was sealed with another key", {
        hint: 'resume by the user who made the run, on the same machine; or a new run',
      })
    );
  }

  #value({
    sealed,
    typed,
    value,
  }: {
    value: string;
    typed?: string | undefined;
    sealed?: string | undefined;
  }): Value {
    return readTyped(sealed === undefined ? (typed ?? value) : this.#open(sealed));
  }

  #values(names: EventOf<'undo-booked'>['names']): Map<string, Value> {
    return new Map(Object.entries(names).map(([name, one]) => [name, this.#value(one)]));
  }
}
