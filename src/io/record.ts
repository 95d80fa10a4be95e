import type { Outcome, RunEvent } from '../core/events.ts';
import type { Bodies } from '../core/ports.ts';
import type { Recorded, RecordedStep } from './record-schema.ts';

/** How large a body may be that is kept, in characters or bytes. */
const LARGEST_BODY = 8 * 1024 * 1024;
/** How much of all bodies of a run is kept. */
const LARGEST_SUM = 64 * 1024 * 1024;

/** Of how many turns of a loop the steps are kept. */
const KEPT_TURNS = 100;

/** Makes the record of one run from its events and bodies. */
export class Recorder implements Bodies {
  #held = 0;
  readonly #bodies = new Map<string, string | Uint8Array>();
  readonly #steps = new Map<string, Omit<RecordedStep, 'outcome'> & { outcome?: Outcome; digest?: string }>();
  #began: Extract<RunEvent, { event: 'run-began' }> | undefined;
  readonly #booked: NonNullable<Recorded['left']>['undo'] = [];
  #left: Recorded['left'];

  put(digest: string, content: string | Uint8Array): void {
    if (
      content.length <= LARGEST_BODY &&
      this.#held + content.length <= LARGEST_SUM &&
      !this.#bodies.has(digest)
    ) {
      this.#held += content.length;
      this.#bodies.set(digest, content);
    }
  }

  /** Takes an event; gives the record when the run has ended. */
  take(event: RunEvent): Recorded | undefined {
    switch (event.event) {
      case 'run-began':
        this.#began = event;
        break;
      case 'step-began':
        if (isLaterTurn(event.step)) break;
        this.#steps.set(event.step, {
          address: event.step,
          ...(/(?:^|\.)[A-Za-z]\w*$/.test(event.step) ? { name: event.step.split('.').at(-1)! } : {}),
          title: event.title,
          hash: event.hash,
          kept: {},
        });
        break;
      case 'request-sent':
        this.#change(event.step, { request: { method: event.method, url: event.url } });
        break;
      case 'answer-came': {
        const { status, headers, body } = event;
        this.#change(event.step, {
          answer: {
            status,
            headers,
            size: body.size,
            ...(body.type === undefined ? {} : { type: body.type }),
          },
          ...(body.digest === undefined ? {} : { digest: body.digest }),
        });
        break;
      }
      case 'kept': {
        const step = this.#steps.get(event.step);
        const { value, sealed } = event;
        if (step) step.kept[event.name] = sealed === undefined ? { value } : { value, sealed };
        break;
      }
      case 'step-ended':
        this.#change(event.step, { outcome: event.outcome });
        break;
      case 'undo-booked':
        this.#booked.push({ step: event.step, names: event.names });
        break;
      case 'left':
        this.#left = { undo: this.#booked, names: event.names };
        break;
      case 'run-ended':
        return this.#record(event);
      default:
    }
    return undefined;
  }

  #change(address: string, change: object): void {
    const step = this.#steps.get(address);
    if (step) Object.assign(step, change);
  }

  #record({ at, outcome }: Extract<RunEvent, { event: 'run-ended' }>): Recorded | undefined {
    if (!this.#began || this.#steps.size === 0) return undefined;
    const { run, chain, file, environment } = this.#began;
    const steps = [...this.#steps.values()].map(
      ({ digest, outcome: ended, answer, ...step }): RecordedStep => {
        const body = digest === undefined ? undefined : this.#bodies.get(digest);
        const held =
          body === undefined
            ? {}
            : typeof body === 'string'
              ? { text: body }
              : { base64: Buffer.from(body).toString('base64') };
        return {
          ...step,
          outcome: ended ?? 'cut off',
          ...(answer ? { answer: { ...answer, ...held } } : {}),
        };
      },
    );
    return {
      version: 1,
      run,
      chain,
      file,
      ...(environment === undefined ? {} : { environment }),
      at,
      outcome: outcome === 'skipped' ? 'held' : outcome,
      steps,
      ...(this.#left ? { left: this.#left } : {}),
    };
  }
}

function isLaterTurn(address: string): boolean {
  for (const [, turn] of address.matchAll(/\[(\d+)\]/g)) if (Number(turn) >= KEPT_TURNS) return true;
  return false;
}
