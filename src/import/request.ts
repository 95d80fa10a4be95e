import type { Value } from '../core/language/values.ts';

/** In the place of the value of a field that is not to be sent, although it would be. */
export const LEFT_OUT = '\ue006';

/** A request as some documentation shows it, before it is written as a step. Values left open are marked in the texts. */
export interface ImportedRequest {
  readonly method: string;
  /** With its query. */
  readonly url: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body?: ImportedBody;
  /** User and password, of Basic or Digest. */
  readonly user?: { readonly name: string; readonly password: string | undefined; readonly digest: boolean };
  /** Cookies, as one field. */
  readonly cookies?: string;
  readonly timeouts?: { readonly connect?: string; readonly total?: string };
  /** The certificate of the service is not looked at. */
  readonly insecure?: boolean;
  readonly tls?: { readonly ca?: string; readonly cert?: string; readonly key?: string };
  readonly proxy?: string;
  /** The file that its response goes into. */
  readonly save?: string;
  /** What can't be carried over, a line each. */
  readonly notes: readonly string[];
}

export type ImportedBody =
  | { readonly type: 'json'; readonly value: Value }
  | { readonly type: 'form'; readonly fields: readonly (readonly [string, string])[] }
  | { readonly type: 'multipart'; readonly parts: readonly ImportedPart[] }
  | { readonly type: 'text'; readonly text: string }
  | { readonly type: 'file'; readonly path: string };

export interface ImportedPart {
  readonly name: string;
  readonly value?: string;
  readonly file?: string;
  readonly type?: string;
  readonly filename?: string;
}

/** What was pasted: the requests of its commands, and what in it is no request. */
export interface ImportedCommands {
  readonly requests: readonly ImportedRequest[];
  readonly notes: readonly string[];
}
