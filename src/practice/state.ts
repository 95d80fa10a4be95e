import { firstPieces, type Piece } from './stock.ts';

export interface PracticeOptions {
  /** A free port is taken where none is given. */
  readonly port?: number;
  /** How many times faster than the real one its time runs. */
  readonly speed?: number;
  readonly seed?: number;
  /** Requests a second that each credential may send, and how many at once. */
  readonly rate?: number;
  readonly burst?: number;
  /** Requests a day that each credential may send. */
  readonly budget?: number;
  /** How often a request below /v1 meets a mishap, from 0 to 1; sign-in is spared. */
  readonly moody?: number;
  /** It answers a little otherwise than its description says. */
  readonly drift?: boolean;
  /** How long a token lives, in seconds of the service's time. */
  readonly tokenLife?: number;
}

/** The keys with which the practice service can be used. All of it is made up. */
export const KEYS = {
  client: 'studio-desk',
  clientSecret: 'ember-desk-7Qx2mLw9',
  apiKey: 'ember-key-V4tR8pZk1c',
  officeUser: 'anna',
  officePassword: 'clay-and-water-31',
  /** A token that does not end, as services give to people. */
  personalToken: 'emp_2mXv9QsLr7TdKw4Z',
  /** A session that does not end. */
  studioSession: 'ess_Yt5Gh8Jk1Nb6Vc3X',
  /** A client without a secret, which signs in on another device. */
  panel: 'studio-panel',
  archiveUser: 'ines',
  archivePassword: 'dust-and-paper-08',
  studioUser: 'rui',
  studioPassword: 'wheel-and-sponge-77',
  signer: 'dealer-12',
  signingKey: 'ZW1iZXItZGVhbGVyLWtleS1LM3RnUTd4VjJu',
  noticeKeyId: 'emberfold-notices',
  noticeKey: 'ZW1iZXItbm90aWNlLWtleS1CNnloVDRucUw5',
} as const;

/** Variables from which chains for the practice service take their secrets. */
export const PRACTICE_VARIABLES = {
  KILN_DESK_SECRET: KEYS.clientSecret,
  KILN_API_KEY: KEYS.apiKey,
  KILN_OFFICE_PASSWORD: KEYS.officePassword,
  KILN_ARCHIVE_PASSWORD: KEYS.archivePassword,
  KILN_TOKEN: KEYS.personalToken,
  KILN_STUDIO_SESSION: KEYS.studioSession,
  KILN_STUDIO_PASSWORD: KEYS.studioPassword,
  KILN_SIGNING_KEY: KEYS.signingKey,
  KILN_NOTICE_KEY: KEYS.noticeKey,
} as const;

export interface LedgerEntry {
  /** When it came in, in milliseconds of real time since the service began. */
  readonly at: number;
  readonly method: string;
  readonly path: string;
  readonly status: number;
  readonly credential: string;
  readonly mishap?: string;
}

export interface Firing {
  readonly id: string;
  readonly piece: string;
  readonly cone: number;
  /** The service's time, in milliseconds. */
  readonly loaded: number;
  readonly cracks: boolean;
  takenBack: boolean;
}

/** A device that waits to be let in. */
export interface Device {
  readonly user: string;
  readonly scope: string;
  approved: boolean;
  readonly until: number;
  asked: number;
}

/** Everything that the service remembers while it runs. */
export class State {
  readonly options: Required<Omit<PracticeOptions, 'port'>>;
  readonly pieces: Map<string, Piece>;
  readonly firings = new Map<string, Firing>();
  readonly tokens = new Map<string, { client: string; scope: string; until: number }>();
  readonly devices = new Map<string, Device>();
  /** Refresh tokens; each is good once. */
  readonly refresh = new Map<string, { client: string; scope: string }>();
  readonly answered = new Map<string, { request: string; status: number; location: string; body: string }>();
  readonly ledger: LedgerEntry[] = [];
  readonly #began = Date.now();
  #serial = 0;

  constructor({
    speed = 1,
    seed = 4717,
    rate = 20,
    burst = 40,
    budget = 100_000,
    tokenLife = 300,
    moody = 0,
    drift = false,
  }: PracticeOptions) {
    this.options = { speed, seed, rate, burst, budget, tokenLife, moody, drift };
    this.pieces = new Map(firstPieces(seed).map((piece) => [piece.id, piece]));
  }

  /** Milliseconds of the service's own time since it began. */
  now(): number {
    return (Date.now() - this.#began) * this.options.speed;
  }

  /** Milliseconds of real time since it began. */
  uptime(): number {
    return Date.now() - this.#began;
  }

  next(): number {
    return ++this.#serial;
  }
}
