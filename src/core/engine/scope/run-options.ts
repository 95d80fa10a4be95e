import type { Chain } from '../../chain/model.ts';
import type { ContractLevel } from '../../contract/description.ts';
import type { RunEvent } from '../../events.ts';
import type { Value } from '../../language/values.ts';
import type { Pacing } from '../pace/pace.ts';
import type { Past, PastResponses } from '../past-run.ts';
import type { RowOrder, Spread } from '../spread.ts';
import type { WrittenRow } from '../../ports.ts';

/** Undo and cleanup that a run was told to leave, with the names that they need. */
export interface LeftOver {
  readonly undo: readonly { readonly step: string; readonly names: ReadonlyMap<string, Value> }[];
  readonly names: ReadonlyMap<string, Value>;
}

/** What a run is given besides its ports. */
export interface RunOptions {
  readonly id: string;
  readonly inputs: Readonly<Record<string, Value>>;
  readonly emit: (event: RunEvent) => void;
  /** Aborted when the person interrupts the run. */
  readonly signal: AbortSignal;
  /** The URL of the practice service, where the project uses it. */
  readonly practice?: string;
  /** The chains of credentials of kind chain, by the names of the credentials. */
  readonly signInChains?: ReadonlyMap<string, Chain>;
  /** How fast services are asked, shared by all chains that run together. */
  readonly paces?: Map<string, Pacing>;
  /** Is told of a defect of the program, which is a failure of the run like others. */
  readonly onDefect?: ((error: unknown) => void) | undefined;
  /** Undo and cleanup are left for later. */
  readonly leave?: boolean;
  /** Nothing is carried out but what an earlier run has left. */
  readonly left?: LeftOver;
  /** What values of the project came to that were computed in the run that is replayed. */
  readonly values?: ReadonlyMap<string, Value>;
  /** Values of names from an earlier run, which steps above have kept there. */
  readonly known?: ReadonlyMap<string, Value> | undefined;
  /** The run is one of `batharon watch`. */
  readonly watch?: boolean;
  /** Only some steps of the chain are carried out. */
  readonly part?: boolean;
  /** How calls are held to descriptions, whatever the project says. */
  readonly contract?: ContractLevel | undefined;
  /** Of the iterations that have titles only these are carried out. */
  readonly cases?: readonly string[];
  /** Answers that were given with the command, as texts, by the names of the steps that ask. */
  readonly answers?: ReadonlyMap<string, string>;
  /** The answer of an earlier run to the question of a step, by its address now; undefined where it is asked for. */
  readonly answeredBefore?: ((address: string, fingerprint: string) => Value | undefined) | undefined;
  /** Inputs that are given other values than the run began with. */
  readonly givenAnew?: readonly string[];
  /** The run goes on from here. */
  readonly past?: Past | undefined;
  /** Only requests that change nothing are sent; the others have these responses. */
  readonly responses?: PastResponses | undefined;
  /** Gives blocks of iterations to other machines. */
  readonly spread?: Spread | undefined;
  /** Rows are written where the run is: this is a part of it. */
  readonly writeRow?: ((order: RowOrder) => Promise<WrittenRow>) | undefined;
  /** Secrets are marks such as ‹secret desk›, since nothing is sent: a header field may hold them. */
  readonly marks?: boolean;
  /** The files of the chain and its project, for the record. */
  readonly files?: readonly { readonly path: string; readonly text: string }[] | undefined;
}
