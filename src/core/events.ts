import * as z from 'zod';
import { deviationSchema } from './event-deviation.ts';
import { eventParts } from './event-parts.ts';
import { EVENT_VERSION } from './event-version.ts';

/**
 * Everything that a run tells, one kind an event. What a person sees, live or later, is made from these and nothing else.
 * Texts are masked before an event leaves the engine. Values are texts in the notation of JSON, so that no reader damages
 * a number.
 */
const { at, attempt, body, file, headers, kept, phases, place, problem, step } = eventParts;

/** `accepted`: it failed, and the chain says that it may. */
const outcome = z.enum(['passed', 'failed', 'skipped', 'interrupted', 'accepted']);

export const eventSchema = z.discriminatedUnion('event', [
  z.strictObject({
    event: z.literal('run-began'),
    at,
    version: z.literal(EVENT_VERSION),
    run: z.string(),
    chain: z.string(),
    file: z.string(),
    environment: z.string().optional(),
    /** What the environment is guarded by. */
    guard: z.enum(['ask', 'reads-only']).optional(),
    /** The origins of the services that the chain calls, by their names. */
    services: z.record(z.string(), z.string()).optional(),
    inputs: z.record(z.string(), z.string()),
    /** Inputs that hold something secret, whole and sealed. */
    sealed: z.record(z.string(), z.string()).optional(),
    /** Inputs of which JSON does not say the kind, whole. */
    typed: z.record(z.string(), z.string()).optional(),
    /** Values of the project that were computed when the run began. */
    values: z.record(z.string(), kept).optional(),
    steps: z.int(),
    /** The files as they were, by the digests under which they are kept. */
    files: z.array(file).optional(),
    /** Only some steps of the chain were wanted. */
    part: z.boolean().optional(),
    /** `batharon watch` carries it out. */
    watch: z.boolean().optional(),
    /** Its work is given to workers. */
    spread: z.boolean().optional(),
  }),
  /** A run that was interrupted or failed goes on. */
  z.strictObject({
    event: z.literal('run-resumed'),
    at,
    version: z.literal(EVENT_VERSION),
    run: z.string(),
    chain: z.string(),
    file: z.string(),
    environment: z.string().optional(),
    /** What the environment is guarded by. */
    guard: z.enum(['ask', 'reads-only']).optional(),
    /** The origins of the services that the chain calls, by their names. */
    services: z.record(z.string(), z.string()).optional(),
    files: z.array(file).optional(),
    /** Only what had been left is done: undo and cleanup. */
    cleanup: z.boolean().optional(),
    /** Inputs that were given other values. */
    inputs: z.record(z.string(), kept).optional(),
    /** Steps that are not as they were. */
    changed: z.array(step),
    /** `batharon watch` carries it out. */
    watch: z.boolean().optional(),
  }),
  /** A step passed before the run was resumed, and is not carried out again; of a loop, so many of its iterations. */
  z.strictObject({
    event: z.literal('passed-before'),
    at,
    step,
    title: z.string(),
    iterations: z.int().optional(),
  }),
  z.strictObject({
    event: z.literal('step-began'),
    at,
    step,
    type: z.enum(['ask', 'call', 'each', 'follow', 'group', 'plain', 'repeat', 'wait']),
    title: z.string(),
    fingerprint: z.string(),
    place,
    request: z.string().optional(),
  }),
  z.strictObject({
    event: z.literal('signed-in'),
    at,
    step,
    credential: z.string(),
    kind: z.string(),
    scope: z.string().optional(),
    until: z.number().optional(),
  }),
  z.strictObject({
    event: z.literal('request-sent'),
    at,
    step,
    attempt,
    method: z.string(),
    url: z.string(),
    written: z.string(),
    headers,
    body: body.optional(),
    /** How long the pace of the service passed it back, in milliseconds. */
    delayed: z.number().optional(),
    /** It may not be sent twice, or only with the key that it carries. Without it it may. */
    resend: z.enum(['never', 'with-key']).optional(),
    key: z.string().optional(),
    /** Which page of a list it asks for, from 1. */
    page: z.int().optional(),
  }),
  z.strictObject({
    event: z.literal('response-received'),
    at,
    step,
    attempt,
    status: z.int(),
    headers,
    body,
    phases,
    elapsed: z.number(),
    /** Where it may not be had again: fields and body as they came, sealed, if what is shown of them is masked. */
    sealed: z.string().optional(),
    /** It was not sent this time: this is the response that came before the run was resumed. */
    before: z.boolean().optional(),
  }),
  z.strictObject({
    event: z.literal('request-failed'),
    at,
    step,
    attempt,
    problem,
    phases,
    elapsed: z.number(),
    /** The service may have processed it. */
    reached: z.boolean(),
    /** What had come of the response before it broke off. */
    partial: z.strictObject({ status: z.int(), headers, body }).optional(),
  }),
  z.strictObject({
    event: z.literal('redirected'),
    at,
    step,
    attempt,
    to: z.string(),
    method: z.string(),
    credential: z.enum(['kept', 'removed', 'none']),
  }),
  z.strictObject({
    event: z.literal('waiting'),
    at,
    step,
    for: z.number(),
    /** Because of the step itself, its poll, repeat, retry or callback; the pace of the service; or what the service said. */
    why: z.enum(['step', 'repeat', 'poll', 'retry', 'callback', 'pace', 'retry-after']),
    service: z.string().optional(),
    /** What it waits for, in a few words. */
    note: z.string().optional(),
  }),
  /** So much of a long body has been sent or has come; told now and then, and not recorded. */
  z.strictObject({
    event: z.literal('transferred'),
    at,
    step,
    direction: z.enum(['received', 'sent']),
    /** In bytes. */
    bytes: z.int(),
    of: z.int().optional(),
  }),
  /** An item of a stream has come: the first 1,000 are told, of the others now and then the newest. */
  z.strictObject({
    event: z.literal('item-received'),
    at,
    step,
    /** How many have come by now. */
    nth: z.int(),
    /** The beginning of the item, as a person reads it. */
    item: z.string(),
  }),
  /** How far work is that is given to workers; told now and then, and not recorded. */
  z.strictObject({
    event: z.literal('work-spread'),
    at,
    /** Workers that take it, and how many parts they carry out at once. */
    workers: z.int(),
    lanes: z.int(),
    /** Parts that have ended, and parts that are given. */
    done: z.int(),
    underWay: z.int(),
    /** The pace of each service that has one, in words. */
    pace: z.array(z.string()).optional(),
    /** Why others take none. */
    refusals: z.array(z.strictObject({ worker: z.string(), why: z.string() })),
  }),
  /** The end of the text that a stream shows while it comes; told now and then, and not recorded. */
  z.strictObject({ event: z.literal('text-received'), at, step, text: z.string() }),
  /** A person is asked. */
  z.strictObject({
    event: z.literal('asked'),
    at,
    step,
    question: z.string(),
    kind: z.string(),
    /** What can be chosen, up to 50 of them. */
    choices: z.array(z.string()).optional(),
  }),
  /** What was answered is kept under the name of the step: by whom, or from where it came. */
  z.strictObject({
    event: z.literal('answered'),
    at,
    step,
    by: z.enum(['person', 'given', 'default', 'before']),
  }),
  /** A chain that a step follows begins with inputs whose defaults were computed. */
  z.strictObject({ event: z.literal('follow-began'), at, step, computed: z.record(z.string(), kept) }),
  /** The iterations of a loop begin; `of` is how many there are, where that is known. */
  z.strictObject({
    event: z.literal('loop-began'),
    at,
    step,
    atOnce: z.int(),
    of: z.int().optional(),
    /** The names that a repeat begins with. */
    start: z.record(z.string(), kept).optional(),
  }),
  z.strictObject({
    event: z.literal('iteration-began'),
    at,
    step,
    iteration: z.int(),
    item: z.string().optional(),
    /** What the chain calls it. */
    title: z.string().optional(),
    /** How much of the file of rows has been read, from 0 to 1. */
    share: z.number().optional(),
  }),
  z.strictObject({
    event: z.literal('iteration-ended'),
    at,
    step,
    iteration: z.int(),
    outcome,
    elapsed: z.number(),
    /** The address of the step that failed. */
    failed: z.string().optional(),
    problem: problem.optional(),
  }),
  /** A poll has seen a state. */
  z.strictObject({ event: z.literal('state-seen'), at, step, state: z.string() }),
  /** A page of a list has come: how many items it had, and how many there are in all. */
  z.strictObject({
    event: z.literal('page-received'),
    at,
    step,
    page: z.int(),
    items: z.int(),
    gathered: z.int(),
  }),
  /** A callback was received. */
  z.strictObject({
    event: z.literal('callback-received'),
    at,
    step,
    method: z.string(),
    url: z.string(),
    headers,
    body,
    answered: z.int(),
  }),
  /** What takes the step back is booked, with the names it needs. */
  z.strictObject({ event: z.literal('undo-booked'), at, step, names: z.record(z.string(), kept) }),
  z.strictObject({ event: z.literal('undo-began'), at, steps: z.int() }),
  /** Undo and cleanup were left for later. */
  z.strictObject({
    event: z.literal('undo-left'),
    at,
    undo: z.int(),
    cleanup: z.int(),
    names: z.record(z.string(), kept),
  }),
  z.strictObject({
    event: z.literal('expected'),
    at,
    step,
    condition: z.string(),
    passed: z.boolean(),
    got: z.string().optional(),
    because: z.string().optional(),
    hint: z.string().optional(),
    code: z.string().optional(),
    place: place.optional(),
    deviation: deviationSchema.optional(),
  }),
  z.strictObject({
    event: z.literal('kept'),
    at,
    step,
    name: z.string(),
    ...kept.shape,
  }),
  /** What later steps can say of a step by its name; only where one of them does. */
  z.strictObject({
    event: z.literal('named'),
    at,
    step,
    typed: z.string().optional(),
    sealed: z.string().optional(),
  }),
  /** A secret that a service gave or that was computed; so that a run which goes on masks it too. */
  z.strictObject({ event: z.literal('learned'), at, label: z.string(), sealed: z.string() }),
  /** Cookies that a response set: the jar, the URL and the fields, sealed. */
  z.strictObject({ event: z.literal('cookies-set'), at, sealed: z.string() }),
  z.strictObject({ event: z.literal('saved'), at, step, path: z.string(), size: z.int() }),
  /** A row is about to be added to a file that has so many rows like it. */
  z.strictObject({
    event: z.literal('row-meant'),
    at,
    step,
    path: z.string(),
    row: z.string(),
    alike: z.int(),
  }),
  z.strictObject({
    event: z.literal('row-written'),
    at,
    step,
    path: z.string(),
    row: z.string(),
    /** Which row of the file it is, from 1. */
    nth: z.int(),
    change: z.enum(['added', 'changed', 'same']),
  }),
  z.strictObject({ event: z.literal('shown'), at, step, text: z.string() }),
  z.strictObject({
    event: z.literal('warning'),
    at,
    step: step.optional(),
    code: z.string(),
    message: z.string(),
    deviation: deviationSchema.optional(),
  }),
  z.strictObject({
    event: z.literal('step-ended'),
    at,
    step,
    outcome,
    elapsed: z.number(),
    reason: z.string().optional(),
    problem: problem.optional(),
    /** Of a loop: how many of its iterations passed and failed, and how many were left. */
    iterations: z.strictObject({ passed: z.int(), failed: z.int(), notBegun: z.int().optional() }).optional(),
    /** Of a poll: the states it saw, in order. */
    states: z.string().optional(),
    /** Of pages: how many came. */
    pages: z.int().optional(),
  }),
  z.strictObject({ event: z.literal('cleanup-began'), at, steps: z.int() }),
  z.strictObject({
    event: z.literal('run-ended'),
    at,
    outcome,
    exit: z.union([z.literal(0), z.literal(1), z.literal(2), z.literal(3), z.literal(4), z.literal(130)]),
    results: z.record(z.string(), z.string()),
    calls: z.int(),
    elapsed: z.number(),
    problem: problem.optional(),
  }),
]);

/** Events that say how far something is, which says nothing afterwards: no record keeps them. */
export const PASSING: ReadonlySet<RunEvent['event']> = new Set([
  'transferred',
  'text-received',
  'work-spread',
]);

export type RunEvent = z.infer<typeof eventSchema>;
export type EventOf<K extends RunEvent['event']> = Extract<RunEvent, { event: K }>;
type KeysOf<T> = T extends readonly (infer Item)[]
  ? KeysOf<Item>
  : T extends object
    ? string extends keyof T
      ? KeysOf<T[string & keyof T]>
      : keyof T | { [K in keyof T]: KeysOf<T[K]> }[keyof T]
    : never;
/** A member of an event, or of what stands in one. */
export type EventMember = KeysOf<RunEvent> & string;
export type Outcome = z.infer<typeof outcome>;
export type ExitCode = EventOf<'run-ended'>['exit'];
export type EventBody = z.infer<typeof body>;
