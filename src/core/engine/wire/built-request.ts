import type { Maybe } from '../../language/values.ts';
import type { StreamedBody, Connection } from '../../ports.ts';
import type { Intake } from './intake.ts';
import type { Limits } from '../time/deadline.ts';

/** A request before a credential is added to it. */
export interface BuiltRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: [string, string][];
  readonly body?: Uint8Array | StreamedBody;
  /** The body as a value, for `sent.json`. */
  readonly json?: Maybe;
  /** The credential it carries, unless it is `nobody`. */
  readonly as?: string;
  /** Those that it carries besides. */
  readonly also?: readonly string[];
  readonly limits: Limits;
  readonly service?: string;
  /** Fields into which secrets were inserted, in small letters: they are meant for one origin. */
  readonly secretFields: ReadonlySet<string>;
  /** Secrets were inserted into its body, which is meant for one origin as well. */
  readonly secretBody?: boolean;
  readonly connection?: Connection;
  /** Takes the response bit by bit. */
  readonly intake?: Intake;
  /** Which page of a list it asks for. */
  readonly page?: number;
}

/** A body as it is sent. */
export interface BuiltBody {
  readonly body?: Uint8Array | StreamedBody;
  /** The content type, unless the headers of the step say another. */
  readonly type?: string;
  /** The body as a value, for `sent.json`. */
  readonly json?: Maybe;
}
