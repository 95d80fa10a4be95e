import * as z from 'zod';
import { EVENT_VERSION } from './event-version.ts';

/**
 * Everything that a run tells, one kind an event. What a person sees, live or later, is made from these and nothing else.
 * Texts are masked before an event leaves the engine. Values are texts in the notation of JSON, so that no reader damages
 * a number. Times (`at`) are milliseconds since 1970, other times milliseconds.
 */
const at = z.number();
const step = z.string();
const attempt = z.int().min(1);
const headers = z.array(z.tuple([z.string(), z.string()]));
const place = z.strictObject({ file: z.string(), line: z.int(), column: z.int() });

const problem = z.strictObject({
  code: z.string(),
  message: z.string(),
  instead: z.string().optional(),
  place: place.optional(),
});

/** A body by what identifies it; `text` is the beginning of one that is text, up to 4 KiB. */
const body = z.strictObject({
  size: z.int(),
  /** SHA-256 in hexadecimal digits; nothing where the body comes from a file or goes into one. */
  digest: z.string().optional(),
  type: z.string().optional(),
  text: z.string().optional(),
  cut: z.boolean().optional(),
});

const phases = z.strictObject({
  name: z.number().optional(),
  connect: z.number().optional(),
  tls: z.number().optional(),
  firstByte: z.number().optional(),
  body: z.number().optional(),
});

const outcome = z.enum(['held', 'broke', 'skipped', 'cut off']);

export const eventSchema = z.discriminatedUnion('event', [
  z.strictObject({
    event: z.literal('run-began'),
    at,
    version: z.literal(EVENT_VERSION),
    run: z.string(),
    chain: z.string(),
    file: z.string(),
    environment: z.string().optional(),
    inputs: z.record(z.string(), z.string()),
    steps: z.int(),
  }),
  z.strictObject({
    event: z.literal('step-began'),
    at,
    step,
    type: z.enum(['call', 'group', 'wait', 'plain']),
    title: z.string(),
    hash: z.string(),
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
  }),
  z.strictObject({
    event: z.literal('answer-came'),
    at,
    step,
    attempt,
    status: z.int(),
    headers,
    body,
    phases,
    elapsed: z.number(),
  }),
  z.strictObject({
    event: z.literal('request-failed'),
    at,
    step,
    attempt,
    problem,
    phases,
    elapsed: z.number(),
  }),
  z.strictObject({
    event: z.literal('redirected'),
    at,
    step,
    attempt,
    to: z.string(),
    method: z.string(),
    credential: z.enum(['kept', 'left behind', 'none']),
  }),
  z.strictObject({ event: z.literal('waiting'), at, step, for: z.number() }),
  z.strictObject({
    event: z.literal('expected'),
    at,
    step,
    condition: z.string(),
    held: z.boolean(),
    came: z.string().optional(),
    because: z.string().optional(),
    instead: z.string().optional(),
    code: z.string().optional(),
    place: place.optional(),
  }),
  z.strictObject({
    event: z.literal('kept'),
    at,
    step,
    name: z.string(),
    value: z.string(),
    /** The whole value, sealed, where it holds something secret. */
    sealed: z.string().optional(),
  }),
  z.strictObject({ event: z.literal('saved'), at, step, path: z.string(), size: z.int() }),
  z.strictObject({ event: z.literal('said'), at, step, text: z.string() }),
  z.strictObject({
    event: z.literal('remark'),
    at,
    step: step.optional(),
    code: z.string(),
    message: z.string(),
  }),
  z.strictObject({
    event: z.literal('step-ended'),
    at,
    step,
    outcome,
    elapsed: z.number(),
    reason: z.string().optional(),
    problem: problem.optional(),
  }),
  z.strictObject({ event: z.literal('cleanup-began'), at, steps: z.int() }),
  z.strictObject({
    event: z.literal('run-ended'),
    at,
    outcome,
    exit: z.union([z.literal(0), z.literal(1), z.literal(2), z.literal(3), z.literal(130)]),
    results: z.record(z.string(), z.string()),
    calls: z.int(),
    elapsed: z.number(),
    problem: problem.optional(),
  }),
]);

export type RunEvent = z.infer<typeof eventSchema>;
export type EventOf<K extends RunEvent['event']> = Extract<RunEvent, { event: K }>;
export type Outcome = z.infer<typeof outcome>;
export type ExitCode = EventOf<'run-ended'>['exit'];
export type EventBody = z.infer<typeof body>;
