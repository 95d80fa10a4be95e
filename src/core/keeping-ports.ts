/** Counts calls over all runs of a project on this machine. */
export interface Ledger {
  /** Milliseconds since 1970 on the clock by which periods begin, where it is not that of this machine. */
  now?(): number;
  /** Each call is taken by itself: what was taken and not used is lost with a machine. */
  readonly isExact?: true;
  /**
   * Takes calls out of a budget: as many as are left, up to `calls`. `period` is when it began, in milliseconds since
   * 1970. Throws `ledger-unreadable`.
   */
  take(budget: string, period: number, limit: number, calls: number): Promise<number>;
  /** Returns back what was taken and not used. */
  giveBack(budget: string, period: number, calls: number): Promise<void>;
  /** How many calls are used up. */
  used(budget: string, period: number): Promise<number>;
}

/** Keeps what a run leaves behind besides its events, and sees to it that these are kept. */
export interface RunRecord {
  /** Keeps a body, masked, by its digest; `atOnce` says that it can't be had again. */
  keep(digest: string, content: string | Uint8Array, atOnce?: boolean): void;
  /** All events so far outlast the process and the machine once it resolves. Throws `team-away` where others are to know of them. */
  durable(): Promise<void>;
}

/** Seals texts for this user, so that a record may hold them. */
export interface Sealer {
  seal(text: string): string;
}

/** Opens what was sealed. */
export interface Opener {
  /** Undefined if it can't be opened. */
  open(sealed: string): string | undefined;
}

/** Where the secrets of a project come from. */
export interface Secrets {
  /** The value of a secret of the project. Throws `secret-missing`. */
  get(name: string): Promise<string>;
}
