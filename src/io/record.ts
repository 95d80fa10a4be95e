import { randomBytes } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, renameSync, writeFileSync, mkdirSync } from 'node:fs';
import { join } from 'node:path';
import * as z from 'zod';
import type { Outcome, RunEvent } from '../core/events.ts';
import type { Bodies } from '../core/ports.ts';
import { makeOwnFolder } from './vault.ts';

/** How large a body may be that is kept, in characters or bytes. */
const LARGEST_BODY = 8 * 1024 * 1024;

const keptSchema = z.strictObject({ value: z.string(), sealed: z.string().optional() });

const stepSchema = z.strictObject({
  address: z.string(),
  name: z.string().optional(),
  title: z.string(),
  hash: z.string(),
  outcome: z.enum(['held', 'broke', 'skipped', 'cut off']),
  request: z.strictObject({ method: z.string(), url: z.string() }).optional(),
  answer: z
    .strictObject({
      status: z.int(),
      headers: z.array(z.tuple([z.string(), z.string()])),
      type: z.string().optional(),
      size: z.int(),
      /** Masked; nothing where it was too large, or a file. */
      text: z.string().optional(),
      base64: z.string().optional(),
    })
    .optional(),
  kept: z.record(z.string(), keptSchema),
});

const recordSchema = z.strictObject({
  version: z.literal(1),
  run: z.string(),
  chain: z.string(),
  file: z.string(),
  environment: z.string().optional(),
  /** When it ended, in milliseconds since 1970. */
  at: z.number(),
  outcome: z.enum(['held', 'broke', 'cut off']),
  steps: z.array(stepSchema),
});

/** The last run of a chain: its steps, their last answers, and what they kept. All masked. */
export type Recorded = z.infer<typeof recordSchema>;
export type RecordedStep = z.infer<typeof stepSchema>;

/** Makes the record of one run from its events and bodies. */
export class Recorder implements Bodies {
  readonly #bodies = new Map<string, string | Uint8Array>();
  readonly #steps = new Map<string, Omit<RecordedStep, 'outcome'> & { outcome?: Outcome; digest?: string }>();
  #began: Extract<RunEvent, { event: 'run-began' }> | undefined;

  put(digest: string, content: string | Uint8Array): void {
    if (content.length <= LARGEST_BODY) this.#bodies.set(digest, content);
  }

  /** Takes an event; gives the record when the run has ended. */
  take(event: RunEvent): Recorded | undefined {
    switch (event.event) {
      case 'run-began':
        this.#began = event;
        break;
      case 'step-began':
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
    };
  }
}

/** The records of a project, the last of each chain, in `.batharon/last`. */
export class Records {
  readonly #folder: string;
  readonly #own: string;

  /** `folder` is that of the project file. */
  constructor(folder: string) {
    this.#own = join(folder, '.batharon');
    this.#folder = join(this.#own, 'last');
  }

  /** Gives why it could not be written; a record is no reason for a run to fail. */
  write(record: Recorded): string | undefined {
    try {
      makeOwnFolder(this.#own);
      mkdirSync(this.#folder, { recursive: true });
      const path = join(this.#folder, `${slug(record.file)}.json`);
      const temporary = `${path}.${randomBytes(4).toString('hex')}`;
      writeFileSync(temporary, JSON.stringify(record), { mode: 0o600 });
      renameSync(temporary, path);
      return undefined;
    } catch (error) {
      return (error as Error).message;
    }
  }

  /** All records, the latest first. What can't be read is left out. */
  all(): Recorded[] {
    if (!existsSync(this.#folder)) return [];
    return readdirSync(this.#folder)
      .filter((name) => name.endsWith('.json'))
      .flatMap((name) => {
        try {
          return [recordSchema.parse(JSON.parse(readFileSync(join(this.#folder, name), 'utf8')))];
        } catch {
          return [];
        }
      })
      .sort((a, b) => b.at - a.at);
  }

  /** `last`, the id of a run, or the start of one. */
  find(run: string): Recorded | undefined {
    return this.all().find((record) => run === 'last' || record.run.startsWith(run));
  }

  /** The last record of a chain file. */
  ofChain(file: string): Recorded | undefined {
    return this.all().find((record) => record.file === file);
  }
}

function slug(file: string): string {
  return file.replace(/\.chain\.yaml$/, '').replace(/[^A-Za-z0-9]+/g, '-') || 'send';
}
