/** A token with all that is known of it. */
export interface Token {
  readonly text: string;
  readonly scope?: string;
  /** Milliseconds since 1970; nothing where the service does not say. */
  readonly until?: number;
  readonly refresh?: string;
}

/** Keeps tokens between runs, sealed; by the credential and what it is for. */
export interface KeptTokens {
  get(key: string): Token | undefined;
  set(key: string, token: Token): void;
  remove(key: string): void;
}

/** Keeps nothing. */
export const noKeptTokens: KeptTokens = {
  get: () => undefined,
  set: () => undefined,
  remove: () => undefined,
};
