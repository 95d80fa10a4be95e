import { countOf } from '../core/count-of.ts';
import { headersOfRecorded } from '../core/record/response.ts';
import { readResponseBody } from '../core/engine/wire/read-response.ts';
import type { EventOf } from '../core/events.ts';
import { nearest } from '../core/language/nearest.ts';
import type { Maybe } from '../core/language/values.ts';
import { fail } from '../core/problems.ts';
import type { RecordedAttempt, RecordedRun, RecordedStep } from '../core/record/recorded-run.ts';
import { RunFold } from '../core/record/run-fold.ts';
import { allSteps } from '../report/report-source.ts';
import { formats } from '../io/files/formats.ts';
import type { ReadEvents } from '../io/record/read-events.ts';
import type { Records } from '../io/record/records.ts';
import { leadsTo, type RecordPlace } from '../core/address.ts';

type Response = EventOf<'response-received'>;

/** A recorded run with its bodies. */
export class OpenRun {
  readonly run: RecordedRun;
  /** Lines of the record that could not be read. */
  readonly garbled: readonly number[];
  readonly #records: Records;
  readonly #fold: RunFold;

  private constructor(records: Records, fold: RunFold, run: RecordedRun, garbled: readonly number[]) {
    this.#records = records;
    this.#fold = fold;
    this.run = run;
    this.garbled = garbled;
  }

  /** Reads a run, or of its steps only those `wanted`. Throws `record-unreadable`. */
  static read(records: Records, id: string, wanted?: (address: string) => boolean): OpenRun {
    return OpenRun.#ofEvents(records, id, records.events(id, wanted));
  }

  /** Reads what a run was in short. Throws `record-unreadable`. */
  static outline(records: Records, id: string): OpenRun {
    return OpenRun.#ofEvents(records, id, records.outline(id));
  }

  static #ofEvents(records: Records, id: string, { events, garbled }: ReadEvents): OpenRun {
    const fold = new RunFold();
    for (const event of events) fold.take(event);
    if (!fold.run)
      return fail('record-unreadable', `the record of the run ${id} has no beginning that can be read`);
    return new OpenRun(records, fold, fold.run, garbled);
  }

  /** A run whose events were taken as they happened. */
  static of(records: Records, fold: RunFold): OpenRun {
    return new OpenRun(records, fold, fold.run!, []);
  }

  get id(): string {
    return this.run.id;
  }

  step(address: string): RecordedStep | undefined {
    return this.#fold.step(address);
  }

  /** All steps that were read, in the order in which they began; those inside others behind them. */
  steps(): Generator<RecordedStep> {
    return allSteps(this.run);
  }

  /** The body of a response or a request, masked; undefined if it was not kept. */
  bytes({ body }: { readonly body?: Response['body'] | undefined }): Uint8Array | undefined {
    if (!body || body.size === 0) return new Uint8Array();
    if (body.digest !== undefined) return this.#records.body(this.run.id, body.digest);
    return body.text === undefined || body.cut ? undefined : Buffer.from(body.text);
  }

  /** The body of a response as text; undefined if it is none, or was not kept whole. */
  text(response: Response): string | undefined {
    if (response.body.text === undefined && response.body.size > 0) return undefined;
    const bytes = this.bytes(response);
    return bytes && Buffer.from(bytes).toString('utf8');
  }

  /** The body of a response as a value. */
  value(response: Response): Maybe {
    const bytes = this.bytes(response);
    if (!bytes) return undefined;
    const read = readResponseBody(headersOfRecorded(response.headers), bytes, {}, formats);
    return read instanceof Promise ? this.text(response) : read.value;
  }

  /** The same, also of what a reader has to be loaded for: CSV, events, other charsets. */
  async readValue(response: Response): Promise<Maybe> {
    const bytes = this.bytes(response);
    if (!bytes) return undefined;
    return (await readResponseBody(headersOfRecorded(response.headers), bytes, {}, formats)).value;
  }
}

/** The last response that a step got. */
export function responseOf({ attempts }: RecordedStep): Response | undefined {
  return attempts.findLast(({ response }) => response)?.response;
}

/** The name of a step, if it has one. */
export function nameOfStep({ address }: RecordedStep): string | undefined {
  return /(?:^|\.)([A-Za-z_]\w*)$/.exec(address)?.[1];
}

/** The attempt of a step that is meant; the last one that got a response where nothing is said. */
export function attemptAt(step: RecordedStep, { attempt, page }: RecordPlace): RecordedAttempt | undefined {
  const found =
    attempt !== undefined
      ? step.attempts[attempt - 1]
      : page !== undefined
        ? step.attempts.findLast(({ sent }) => sent.page === page)
        : (step.attempts.findLast(({ response }) => response) ?? step.attempts.at(-1));
  if (!found && (attempt !== undefined || page !== undefined))
    fail(
      'no-record',
      `${step.address} has no ${attempt === undefined ? `page ${page!}` : `attempt ${attempt}`}`,
      {
        hint: `it has ${countOf(step.attempts.length, 'request')}`,
      },
    );
  return found;
}

/** Finds a step in the records: in the run that is named, or the latest one that has it. Throws `no-record`. */
export function findStep(
  records: Records,
  where: RecordPlace,
): { readonly open: OpenRun; readonly step: RecordedStep } {
  const { run, step: wanted } = where;
  const ids = run === 'last' ? records.latest() : [records.find(run)];
  if (ids.length === 0) records.find(run);
  let known: string[] | undefined;
  for (const id of ids) {
    let open: OpenRun;
    try {
      open = OpenRun.read(records, id, wanted === undefined ? undefined : byName(wanted));
    } catch (error) {
      if (ids.length === 1) throw error;
      continue;
    }
    const all = [...open.steps()];
    const step =
      wanted === undefined
        ? all.findLast((one) => responseOf(one))
        : (open.step(wanted) ?? all.find((one) => nameOfStep(one) === wanted));
    if (step) return { open, step };
    if (wanted === undefined) fail('no-record', `no step of the run ${id} got a response`);
    known ??= namesNear(records, id, wanted);
  }
  const names = known ?? [];
  return fail(
    'no-record',
    `${run === 'last' ? 'no run' : `the run ${ids[0]!}`} has ${run === 'last' ? 'a' : 'no'} step ${wanted!}`,
    {
      hint: nearest(wanted!, names) ?? `it has ${names.slice(0, 20).join(', ')}`,
    },
  );
}

/** The steps among which one is to be looked for: those of its turn, if there is such an iteration. */
function namesNear(records: Records, id: string, wanted: string): string[] {
  const namesOf = (isWanted: (address: string) => boolean): string[] =>
    [...OpenRun.read(records, id, isWanted).steps()].map(({ address }) => address);
  const iteration = wanted.slice(0, wanted.lastIndexOf(']') + 1);
  const inside =
    iteration === ''
      ? []
      : namesOf(leadsTo(iteration)).filter((address) => address.startsWith(`${iteration}.`));
  return inside.length > 0 ? inside : namesOf((address) => !address.includes('['));
}

/** A name alone may stand anywhere in the chain; an address leads to one place. */
function byName(wanted: string): (address: string) => boolean {
  if (/[.[]/.test(wanted)) return leadsTo(wanted);
  return () => true;
}
