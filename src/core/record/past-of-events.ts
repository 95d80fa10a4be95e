import { isSafe } from '../engine/wire/idempotency.ts';
import {
  SAID_PROCESSED,
  type Past,
  type PastAnswer,
  type PastAnswers,
  type PastRequest,
  type PastRow,
  type PastStep,
  type PastTurn,
} from '../engine/past-run.ts';
import type { EventOf, Outcome, RunEvent } from '../events.ts';
import { decodeBase64, utf8 } from '../language/encodings.ts';
import { readTyped } from '../language/typed-json.ts';
import type { Value } from '../language/values.ts';
import type { Phases } from '../ports.ts';
import { fail } from '../problems.ts';
import { isOfSignIn } from '../engine/sign-in/sign-in-events.ts';

/** What the record keeps besides events. */
export interface Kept {
  /** The text that was sealed; nothing where it can't be opened. */
  open(sealed: string): string | undefined;
  /** A body by its digest; nothing where it was not kept. */
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
  /** What is known: an answer of 5xx, a failure; nothing where the run was cut off. */
  readonly answer?: EventOf<'answer-came'>;
  readonly failed?: EventOf<'request-failed'>;
}

/** What a run had done, for the engine to go on from, and what a person has to say before. */
export interface PastRun {
  readonly past: Past;
  readonly inputs: ReadonlyMap<string, Value>;
  /** What was kept outside of turns, and what can be said of steps by their names. */
  readonly names: ReadonlyMap<string, Value>;
  /** Undo that was booked and has not been carried out. */
  readonly booked: Past['booked'];
  /** How many steps of undo and cleanup were carried out. */
  readonly tookBack: number;
  readonly undecided: readonly Undecided[];
  /** The addresses of steps that held, and of those around them. */
  readonly done: ReadonlySet<string>;
  /** What was answered to requests that may change something. */
  readonly answers: () => PastAnswers;
}

interface SeenRequest {
  readonly sent: EventOf<'request-sent'>;
  answer?: EventOf<'answer-came'>;
  failed?: EventOf<'request-failed'>;
}

interface SeenStep {
  hash: string;
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
 * Reads the events of a run for it to be gone on with. `given` says of a step the values of names that are lost with its answer. Throws
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
    answers: () => answersOf(seen),
  };

  function settle(address: string, step: SeenStep, open: Undecided[]): PastStep {
    const sent: PastRequest[] = [];
    let taken = false;
    let key: string | undefined;
    for (const request of step.requests) {
      const { answer, failed, sent: event } = request;
      const refused = (answer && isRefused(answer.status)) || (failed && !failed.reached);
      if (refused) continue;
      if (event.once === 'by key') key = event.key;
      if (event.once !== 'only') continue;
      if (answer && answer.status < 400) sent.push(seen.request(event, answer));
      // One that was sent again since has been decided on.
      else if (step.outcome === 'held' || request !== step.requests.at(-1) || decisions.notSent(address))
        continue;
      else if (decisions.sent(address)) taken = true;
      else
        open.push({
          step: address,
          request: event,
          ...(answer ? { answer } : {}),
          ...(failed ? { failed } : {}),
        });
    }
    // Whoever says that it is to be sent again means the answered one too.
    if (decisions.notSent(address)) sent.length = 0;
    if (taken || step.isSaid)
      for (const [name, value] of given(address)) if (!step.kept.has(name)) step.kept.set(name, value);
    return {
      ...(step.outcome === undefined ? {} : { outcome: step.outcome }),
      hash: step.hash,
      kept: step.kept,
      ...(step.named === undefined ? {} : { named: step.named }),
      ...(step.url === undefined ? {} : { url: step.url }),
      ...(key === undefined ? {} : { key }),
      ...(step.row ? { row: step.row } : {}),
      sent,
      taken,
    };
  }
}

/** The addresses of steps that held, and of the loops and groups around them. */
function doneIn(steps: ReadonlyMap<string, PastStep>): Set<string> {
  const done = new Set<string>();
  for (const [address, { outcome, sent }] of steps) {
    if (outcome !== 'held' && sent.length === 0) continue;
    for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('.')))) {
      done.add(at);
      done.add(at.replace(/\[\d+\]$/, ''));
    }
  }
  return done;
}

/** Answers by the addresses of steps as written, since the items of a loop may stand in another order now. */
function answersOf(seen: Seen): PastAnswers {
  const byStep = new Map<string, PastRequest[]>();
  const inLoops = (address: string): string => address.replace(/\[\d+\]/g, '[]');
  return {
    take: (address, isSame) => {
      const written = inLoops(address);
      let requests = byStep.get(written);
      if (!requests) {
        requests = [...seen.steps]
          .filter(([other]) => inLoops(other) === written)
          .flatMap(([, step]) => step.requests)
          .flatMap(({ answer, sent }) =>
            answer && !isSafe(sent.method) ? [seen.request(sent, answer)] : [],
          );
        byStep.set(written, requests);
      }
      const i = requests.findLastIndex(isSame);
      return i < 0 ? undefined : requests.splice(i, 1)[0]!.answer;
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
  readonly #turns = new Map<string, { item?: string; outcome?: Outcome }>();
  readonly #starts = new Map<string, Map<string, Value>>();
  readonly #hashes = new Map<string, string>();
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
      hashOf: (written) => this.#hashes.get(written),
      turn: (loop, turn): PastTurn | undefined => this.#turns.get(`${loop}[${turn}]`),
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
      case 'turns-began':
        if (event.start) this.#starts.set(event.step, this.#values(event.start));
        return;
      case 'turn-began':
        this.#turns.set(`${event.step}[${event.turn}]`, event.item === undefined ? {} : { item: event.item });
        return;
      case 'turn-ended': {
        const turn = this.#turns.get(`${event.step}[${event.turn}]`);
        if (turn) turn.outcome = event.outcome;
        return;
      }
      case 'undo-booked':
        this.#booked.set(event.step, this.#values(event.names));
        return;
      default:
        if ('step' in event && event.step !== undefined) this.#ofStep(this.steps.get(event.step), event);
    }
  }

  #stepBegan({ hash, step: address }: EventOf<'step-began'>): void {
    this.#hashes.set(address.replace(/\[\d+\]/g, '[]'), hash);
    const known = this.steps.get(address);
    if (!known) {
      this.steps.set(address, { hash, kept: new Map(), requests: [] });
      return;
    }
    known.hash = hash;
    delete known.outcome;
  }

  #ofStep(step: SeenStep | undefined, event: RunEvent): void {
    if (!step) return;
    switch (event.event) {
      case 'request-sent':
        step.requests.push({ sent: event });
        step.url = event.url;
        return;
      case 'answer-came': {
        if (event.before) return;
        const request = step.requests.findLast(({ sent }) => sent.attempt === event.attempt);
        if (request) request.answer = event;
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
    if (outcome === 'held') this.tookBack++;
    const [, of] = /^(.*)\.undo\./.exec(step) ?? [];
    if (of === undefined || outcome === 'skipped') return;
    const booked = this.#booked.get(of) ?? this.#takenBack.get(of);
    if (!booked) return;
    if (outcome !== 'held') this.#notUndone.add(of);
    const isDone = !this.#notUndone.has(of);
    (isDone ? this.#booked : this.#takenBack).delete(of);
    (isDone ? this.#takenBack : this.#booked).set(of, booked);
  }

  /** A request that was answered, with the answer as it came. */
  request(sent: EventOf<'request-sent'>, answer: EventOf<'answer-came'>): PastRequest {
    const { text, digest } = sent.body ?? {};
    return {
      method: sent.method,
      url: sent.url,
      ...(text === undefined ? {} : { text }),
      ...(digest === undefined ? {} : { digest }),
      answer: this.#answer(answer),
    };
  }

  #answer({ body, headers, phases, sealed, status }: EventOf<'answer-came'>): PastAnswer {
    if (sealed !== undefined) {
      const whole = JSON.parse(this.#open(sealed)) as { headers: PastAnswer['headers']; body: string };
      return { status, headers: whole.headers, body: decodeBase64(whole.body)!, phases: phases as Phases };
    }
    const bytes = body.digest === undefined ? utf8(body.text ?? '') : this.#kept.body(body.digest);
    if (!bytes)
      return fail(
        'cannot-resume',
        `the body of an answer that can’t be had again is not in the record: ${body.digest!}`,
      );
    // The text was decoded before it was recorded.
    const plain = headers.map(([name, value]): [string, string] => [
      name,
      name === 'content-type' ? value.replace(/;\s*charset=[^;]*/i, '') : value,
    ]);
    return { status, headers: plain, body: bytes, phases: phases as Phases };
  }

  #open(sealed: string): string {
    return (
      this.#kept.open(sealed) ??
      fail('cannot-resume', 'what the run kept of secrets can’t be opened: it was sealed with another key', {
        instead: 'resume by the user who made the run, on the same machine; or a new run',
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
