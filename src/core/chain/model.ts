import type { ContractLevel } from '../contract/description.ts';
import type { Schema } from '../contract/json-schema.ts';
import type { Kind } from '../language/kinds.ts';
import type { Duration } from '../language/values.ts';
import type { Place } from '../problems.ts';
import type { Callback, Idempotency, Pages, Poll, Retry, Pause, Stream } from './traffic.ts';
import type { Expressions, Insertion, PlacedExpression, Setting, Template, Typed } from './templates.ts';

export * from './templates.ts';
export * from './traffic.ts';

export interface Timeouts {
  readonly connect?: Setting<Duration>;
  readonly response?: Setting<Duration>;
  readonly total?: Setting<Duration>;
}

export const INPUT_KINDS = ['text', 'number', 'yes-no', 'choice', 'date', 'json', 'rows', 'secret'] as const;
export type InputKind = (typeof INPUT_KINDS)[number];

export interface Input {
  readonly name: string;
  readonly kind: InputKind;
  readonly about?: string;
  readonly choices?: readonly string[];
  /** What the columns of rows are read as; texts where nothing is said. */
  readonly columns?: ReadonlyMap<string, ColumnKind>;
  /** What it is where it is not given: computed when the chain begins. */
  readonly default?: Typed;
  readonly must?: PlacedExpression;
  readonly at: Place;
}

export const COLUMN_KINDS = ['text', 'number', 'yes-no', 'date'] as const;
export type ColumnKind = (typeof COLUMN_KINDS)[number];

export interface Keep {
  readonly name: string;
  readonly value: Expressions;
  /** hidden(…): the value is a secret from here on. */
  readonly hidden: boolean;
  /** It was computed from a secret. */
  readonly secret: boolean;
  readonly at: Place;
}

export interface Expectation {
  readonly condition: PlacedExpression;
  readonly because?: Template;
  /** It uses a name that this step keeps, so it is tried after keep. */
  readonly afterKeep: boolean;
  /** Where it does not hold, that is only warned about. */
  readonly onlyWarns?: true;
}

/** A row that a step writes into a file. */
export interface RowWrite {
  /** A file of CSV, or of JSON Lines where its name ends in `.jsonl` or `.ndjson`. */
  readonly to: Template;
  readonly row: Typed;
  /** A row with the same values in these columns is brought up to date; without them each row is added. */
  readonly onePer: readonly string[];
  readonly at: Place;
}

/** What follows where a step fails. */
export const ON_FAIL = ['stop', 'continue', 'accept'] as const;

interface StepBase {
  /** `fire.load`; an unnamed step by its place among its neighbours, from 0: `fire.1`. */
  readonly address: string;
  readonly name?: string;
  readonly about?: string;
  /** What a person calls it: its name, or what it does. */
  readonly title: string;
  readonly at: Place;
  readonly when?: PlacedExpression;
  readonly expect: readonly Expectation[];
  readonly keep: readonly Keep[];
  readonly write?: RowWrite;
  readonly show?: Template;
  readonly onFail: (typeof ON_FAIL)[number];
  /** It passes where it fails with one of these codes, and only then. */
  readonly mustFail?: readonly string[];
  /** Carried out at the end of the run, once the step has passed. */
  readonly undo: readonly Step[];
  /** All names that this step itself uses (not those of steps inside it). */
  readonly uses: ReadonlySet<string>;
  /** A mark of the step as written: steps with one mark do the same. Made when it is asked for; `check` never does. */
  readonly fingerprint: () => string;
}

/** The credentials that a request carries. */
export interface CarriedCredentials {
  /** A credential, `nobody`, or what the service says. */
  readonly as?: string;
  /** Those that it carries besides. */
  readonly also?: readonly string[];
  /** Inputs for the chains that sign in, by the names of their credentials. */
  readonly asInputs?: ReadonlyMap<string, readonly (readonly [string, Typed])[]>;
}

export interface CallStep extends StepBase, CarriedCredentials {
  readonly type: 'call';
  readonly method: string;
  /** As written, for people. */
  readonly written: string;
  readonly target: CallTarget;
  readonly query: readonly Parameter[];
  readonly headers: readonly Field[];
  readonly body?: CallBody;
  readonly timeouts: Timeouts;
  readonly readAs?: ReadAs;
  /** What separates the cells of CSV; a comma without it. */
  readonly separator?: string;
  /** Where the body is written instead of being passed. */
  readonly save?: Save;
  /** No cookie is sent, and none is taken from the response. */
  readonly noCookies: boolean;
  /** Its jar is emptied before it is sent. */
  readonly newJar?: true;
  /** How often it is redirected at most. */
  readonly redirects?: number;
  /** The expectations of the service hold for this call too. */
  readonly serviceExpect: boolean;
  /** How it is held to the description of the service, where it says so itself. */
  readonly contract?: ContractLevel;
  /** What the description says of the body of its response. */
  readonly describedBody?: Kind;
  /** The expectation that every status is below 400 holds, since the step says nothing of status. */
  readonly expectsSuccess: boolean;
  readonly retry?: Retry;
  readonly poll?: Poll;
  readonly pages?: Pages;
  readonly stream?: Stream;
  readonly callback?: Callback;
  readonly idempotency?: Idempotency;
  /** It waits where the service says so; not where it expects just that. */
  readonly obeysRetryAfter: boolean;
  /** It may be sent again although its method is not idempotent. */
  readonly repeatable: boolean;
  /** It takes something back, so what is gone already (404, 410) is as wanted. */
  readonly undoing: boolean;
}

export type CallTarget =
  /** A path of a service, or an address that an insertion gives and that lies at the service. */
  | { readonly type: 'service'; readonly service: string; readonly path: Template }
  | { readonly type: 'address'; readonly service: string; readonly address: Insertion }
  | { readonly type: 'url'; readonly url: Template; readonly origin: string };

export interface Parameter {
  readonly name: string;
  /** The value is an object, whose members are the parameters; the name is empty. */
  readonly all?: true;
  readonly value: Typed;
  readonly at: Place;
}

export interface Field {
  readonly name: string;
  /** The value is one insertion of an object, whose members are the fields; the name is empty. */
  readonly all?: true;
  readonly value: Template;
  /** Its name, where that is computed; the name is empty then. */
  readonly computedName?: Template;
  /** It is sent besides the one before it, which has the same name. */
  readonly more?: true;
  /** The field is not sent, not even one that would be sent anyway. */
  readonly leftOut?: true;
  readonly at: Place;
}

export type CallBody =
  | { readonly type: 'json'; readonly value: Typed; readonly at: Place }
  | { readonly type: 'form'; readonly fields: readonly Parameter[]; readonly at: Place }
  | { readonly type: 'text'; readonly text: Template; readonly at: Place }
  | { readonly type: 'xml'; readonly text: Template; readonly at: Place }
  | { readonly type: 'bytes'; readonly value: PlacedExpression; readonly at: Place }
  | {
      readonly type: 'file';
      readonly path: Template;
      /** The bytes from one offset up to, not including, another; all without them. */
      readonly from?: Setting<number>;
      readonly to?: Setting<number>;
      readonly at: Place;
    }
  | { readonly type: 'multipart'; readonly parts: readonly Part[]; readonly at: Place };

/** A part of a multipart body: a text, or a file that is read while it is sent. */
export interface Part {
  readonly name: string;
  readonly content:
    | { readonly text: Typed }
    | { readonly json: Typed }
    | { readonly bytes: PlacedExpression }
    | { readonly file: Template };
  readonly contentType?: Template;
  readonly filename?: Template;
  readonly at: Place;
}

export interface Save {
  readonly path: Template;
  /** An expression of the step speaks of the body, so that it is passed as well. */
  readonly buffered: boolean;
  /** It goes on where an earlier download was cut. */
  readonly resume?: true;
}

export const READ_AS = [
  'json',
  'xml',
  'html',
  'text',
  'csv',
  'json-lines',
  'lines',
  'events',
  'bytes',
] as const;
export type ReadAs = (typeof READ_AS)[number];

/** What a stream can be read as. */
export const STREAMED_AS = ['events', 'json-lines', 'lines'] as const satisfies readonly ReadAs[];
export type StreamedAs = (typeof STREAMED_AS)[number];

export interface GroupStep extends StepBase {
  readonly type: 'group';
  readonly steps: readonly Step[];
  readonly otherwise?: readonly Step[];
}

export interface WaitStep extends StepBase {
  readonly type: 'wait';
  readonly duration: Setting<Duration>;
}

/** What a person can be asked for. */
export const ASKED_KINDS = ['text', 'number', 'yes-no', 'choice', 'secret'] as const;

/** A question to the person; its answer is what the name of the step means from then on. */
export interface AskStep extends StepBase {
  readonly type: 'ask';
  readonly name: string;
  readonly question: Template;
  readonly kind: (typeof ASKED_KINDS)[number];
  /** A list of values, or an object of labels and values: as written, or what an expression gives. */
  readonly choices?: Typed | PlacedExpression;
  readonly default?: Typed;
  readonly must?: PlacedExpression;
}

/** A step that only expects, keeps or shows. */
export interface PlainStep extends StepBase {
  readonly type: 'plain';
}

/** Steps for each item of a list, member of an object, or row of a file. */
export interface EachStep extends StepBase {
  readonly type: 'each';
  readonly items: PlacedExpression;
  /** The names of the item, or of the key and the value. */
  readonly names: readonly [string] | readonly [string, string];
  /** The input of kind rows that is read row by row. */
  readonly rows?: Input;
  readonly steps: readonly Step[];
  readonly atOnce: Setting<number>;
  readonly whenOneFails: 'stop' | 'continue';
  /** How many iterations have to hold. */
  readonly atLeast: Setting<number>;
  readonly upTo: Setting<number>;
  readonly until?: PlacedExpression;
  readonly gather: readonly Gather[];
  /** What an iteration is called, so that it can be found, reported and run by that name. */
  readonly caseTitle?: Template;
  /** Its iterations may be given to workers, so many at a time. */
  readonly spread?: number;
}

export interface Gather {
  readonly name: string;
  readonly value: Expressions;
  readonly at: Place;
}

/** Steps that are carried out again until a condition holds. */
export interface RepeatStep extends StepBase {
  readonly type: 'repeat';
  readonly steps: readonly Step[];
  readonly until: PlacedExpression;
  readonly upTo: Setting<number>;
  readonly every: Pause;
  readonly within: Setting<Duration>;
  /** Names with first values, which the steps may keep anew. */
  readonly start: readonly Gather[];
}

/** Another chain as a step. */
export interface FollowStep extends StepBase {
  readonly type: 'follow';
  readonly chain: Chain;
  readonly inputs: readonly (readonly [string, Typed])[];
  /** An object whose members are the inputs. */
  readonly inputsOf?: Insertion;
}

export type Step = AskStep | CallStep | EachStep | FollowStep | GroupStep | PlainStep | RepeatStep | WaitStep;

/** Whether a step keeps or gathers a value under its own name, which then means that value. */
export function keepsOwnName(step: Step): boolean {
  if (step.type === 'ask') return true;
  const names = step.type === 'each' ? [...step.keep, ...step.gather] : step.keep;
  return names.some(({ name }) => name === step.name);
}

/** The steps that stand in a step, those of its other branch and of what it follows included, but for undo. */
export function stepsIn(step: Step): readonly Step[] {
  switch (step.type) {
    case 'group':
      return step.otherwise ? [...step.steps, ...step.otherwise] : step.steps;
    case 'each':
    case 'repeat':
      return step.steps;
    case 'follow':
      return [...step.chain.steps, ...step.chain.cleanup];
    default:
      return [];
  }
}

export interface Chain {
  readonly file: string;
  readonly title: string;
  readonly about?: string;
  readonly tags: readonly string[];
  /** It is run only where its file is named. */
  readonly onlyByName?: true;
  readonly inputs: readonly Input[];
  readonly steps: readonly Step[];
  readonly cleanup: readonly Step[];
  /** Some expression reads XML or HTML. */
  readonly readsMarkup: boolean;
  /** The schemas that its expressions hold values to, by the names that they say. */
  readonly schemas: ReadonlyMap<string, Schema>;
  /** It asks for a step as `steps.NAME`. */
  readonly usesSteps: boolean;
  /** Loops of which an expression asks for NAME.iterations. */
  readonly iterationsOf: ReadonlySet<string>;
  /** Names of the secrets that its texts insert, chains that it follows left out; `*` where one inserts them all. */
  readonly secrets: ReadonlySet<string>;
  /** All names that its expressions use. */
  readonly uses: ReadonlySet<string>;
  readonly results: readonly { readonly name: string; readonly value: Expressions; readonly at: Place }[];
}
