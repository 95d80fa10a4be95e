import type { RunEvent } from '../../core/events.ts';
import type { RunRecord } from '../../core/ports.ts';
import { isAway } from './team-ledger.ts';
import { here } from './machine-name.ts';
import type { TeamRedis } from './team-redis.ts';

/** What a run meant to send is known for so long after it was last told, in milliseconds. */
const KEPT = 14 * 86_400_000;
/** Of more requests than that only those are known that have not ended. */
const MOST_KEPT = 20_000;
/** How large a body may be that is kept beside what came of a request, in bytes. */
const LARGEST_BODY = 1024 * 1024;

/** An event of a run, or a body that one of them names. */
type Told = { readonly event: RunEvent } | { readonly digest: string; readonly body: string };

/** The record of a run that has also been begun elsewhere. */
export interface Recording extends RunRecord {
  take(event: RunEvent): void;
}

/**
 * Tells what a run means to send before it does, of requests that may be sent only once or with a key, and what came of them; so that
 * another machine can go on with the run. It is told in Redis, sealed, besides the record of the machine itself.
 */
export class TeamIntents implements Recording {
  readonly #team: TeamRedis;
  readonly #own: Recording;
  readonly #warn: (message: string) => void;
  readonly #run: string;
  readonly #name: string;
  readonly #purpose: string;
  /** Steps that have begun, until one of their requests is told. */
  readonly #begun = new Map<string, RunEvent>();
  /** Steps whose request is told and has not ended. */
  readonly #open = new Set<string>();
  /** Steps whose request is told and that have not ended: their rows are told as well. */
  readonly #rowsOf = new Set<string>();
  #beginning: RunEvent | undefined;
  #untold: Told[] = [];
  /** What was told of requests, until they have ended. */
  readonly #openTold = new Map<string, Told[]>();
  /** How many requests are told. */
  #told = 0;
  #telling: Promise<void> = Promise.resolve();

  constructor(team: TeamRedis, run: string, own: Recording, warn: (message: string) => void) {
    this.#team = team;
    this.#own = own;
    this.#warn = warn;
    this.#run = run;
    this.#name = nameOf(team, run);
    this.#purpose = `intents ${run}`;
  }

  take(event: RunEvent): void {
    this.#own.take(event);
    switch (event.event) {
      case 'run-began':
        this.#beginning = event;
        return;
      case 'step-began':
        this.#begun.set(event.step, event);
        return;
      case 'request-sent': {
        if (event.resend === undefined) return;
        const began = this.#begun.get(event.step);
        const told = [...(began ? [{ event: began }] : []), { event }];
        this.#untold.push(...(this.#beginning ? [{ event: this.#beginning }] : []), ...told);
        this.#openTold.set(event.step, told);
        this.#told++;
        this.#beginning = undefined;
        this.#begun.delete(event.step);
        this.#open.add(event.step);
        this.#rowsOf.add(event.step);
        return;
      }
      case 'response-received':
      case 'request-failed':
        if (!this.#open.delete(event.step)) return;
        this.#openTold.delete(event.step);
        this.#untold.push({ event });
        // What came of it is told as well, but nobody waits for that.
        void this.#tell().catch(() => undefined);
        return;
      case 'row-written':
        if (this.#rowsOf.has(event.step)) this.#untold.push({ event });
        return;
      case 'step-ended':
        this.#begun.delete(event.step);
        this.#rowsOf.delete(event.step);
        return;
      case 'run-ended':
        // What passed is not gone on with.
        if (event.outcome === 'passed' && this.#team.isThere)
          void this.#team.redis.del(this.#name).catch(() => undefined);
        return;
      default:
    }
  }

  keep(digest: string, content: string | Uint8Array, atOnce?: boolean): void {
    this.#own.keep(digest, content, atOnce);
    if (!atOnce || content.length > LARGEST_BODY) return;
    this.#untold.push({ digest, body: Buffer.from(content as string).toString('base64') });
  }

  async durable(): Promise<void> {
    await Promise.all([this.#own.durable(), this.#tell()]);
  }

  /** Throws `team-away`, unless the run goes on without the others. */
  #tell(): Promise<void> {
    const told = this.#untold;
    this.#untold = [];
    if (told.length === 0) return this.#telling;
    if (this.#told > MOST_KEPT) return this.#forget(told);
    const sealed = this.#team.seal.sealed(Buffer.from(JSON.stringify(told)), this.#purpose);
    const telling = this.#telling
      .catch(() => undefined)
      .then(() =>
        this.#team.do((redis) => redis.multi().rpush(this.#name, sealed).pexpire(this.#name, KEPT).exec()),
      )
      .then(
        () => undefined,
        (error: unknown) => {
          this.#untold.unshift(...told);
          if (!isAway(error) || this.#team.setting.without === 'stop') throw error;
          this.#warn('what is sent is recorded on this machine only, until Redis is back');
        },
      );
    this.#telling = telling;
    return telling;
  }

  /** Redis is not to hold more than that: who goes on with the run needs its record from here on. */
  #forget(untold: readonly Told[]): Promise<void> {
    this.#told = this.#openTold.size;
    this.#untold = [...new Set([...[...this.#openTold.values()].flat(), ...untold])];
    const telling = this.#telling
      .catch(() => undefined)
      .then(() => onlyRecordedHere(this.#team, this.#run))
      .then(() => this.#team.do((redis) => redis.del(this.#name)))
      .then(() => undefined);
    this.#telling = telling;
    return this.#tell();
  }
}

/** Notes that what a run has sent is known in full on this machine alone. */
export async function onlyRecordedHere(team: TeamRedis, run: string): Promise<void> {
  const { host, place } = here();
  await team.do((redis) => redis.set(nameOf(team, run, 'recorded'), `${place} ${host}`, 'PX', KEPT));
}

/** The other machine that alone has the whole record of a run; undefined where all know what was meant to be sent, or this one does. */
export async function recordedElsewhere(team: TeamRedis, run: string): Promise<string | undefined> {
  const only = await team.do((redis) => redis.get(nameOf(team, run, 'recorded')));
  const { host, place } = here();
  return only === null || only === `${place} ${host}` ? undefined : only.slice(place.length + 1);
}

/** What a run has told; bodies by their digests. */
export async function intentsOf(
  team: TeamRedis,
  run: string,
): Promise<{ readonly events: readonly RunEvent[]; readonly bodies: ReadonlyMap<string, Uint8Array> }> {
  const stored = await team.do((redis) => redis.lrangeBuffer(nameOf(team, run), 0, -1));
  const events: RunEvent[] = [];
  const bodies = new Map<string, Uint8Array>();
  for (const sealed of stored) {
    const text = team.seal.opened(sealed, `intents ${run}`)?.toString('utf8');
    for (const one of text === undefined ? [] : (JSON.parse(text) as Told[]))
      if ('event' in one) events.push(one.event);
      else bodies.set(one.digest, Buffer.from(one.body, 'base64'));
  }
  return { events, bodies };
}

function nameOf(team: TeamRedis, run: string, of: 'intents' | 'recorded' = 'intents'): string {
  return team.name(of, run);
}
