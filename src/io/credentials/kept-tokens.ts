/** A token with all that is known of it. */
export interface KeptToken {
  readonly text: string;
  readonly scope?: string;
  /** Milliseconds since 1970; undefined if the service does not say. */
  readonly until?: number;
  readonly refresh?: string;
}

/** Keeps tokens between runs, sealed; by the credential and what it is for. */
export interface KeptTokens {
  /** Those of every grant are kept, also of such as ask nobody. */
  readonly keepsAll?: true;
  get(key: string): KeptToken | undefined | Promise<KeptToken | undefined>;
  set(key: string, token: KeptToken): Promise<void>;
  remove(key: string): Promise<void>;
  /** Does something for a token that no other process does at the same time: of several that renew it, one does. */
  alone<T>(key: string, work: () => Promise<T>): Promise<T>;
  /** Takes a refresh token to be used: nobody else uses it from now on. Throws `sign-in-failed` where somebody has. */
  claim?(refreshToken: string): Promise<void>;
  /** It was not used up: the service gave none in its place, or it was never sent. */
  release?(refreshToken: string): Promise<void>;
}

/** Keeps nothing. */
export const noKeptTokens: KeptTokens = {
  get: () => undefined,
  set: async () => undefined,
  remove: async () => undefined,
  alone: (_, work) => work(),
};
