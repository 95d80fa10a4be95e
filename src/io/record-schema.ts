import * as z from 'zod';

const kept = () => z.strictObject({ value: z.string(), sealed: z.string().optional() });

const step = () =>
  z.strictObject({
    address: z.string(),
    name: z.string().optional(),
    title: z.string(),
    hash: z.string(),
    outcome: z.enum(['held', 'broke', 'skipped', 'cut off']),
    request: z.strictObject({ method: z.string(), url: z.string() }).optional(),
    answer: z
      .strictObject({
        status: z.int(),
        headers: z.array(z.tuple([z.string(), z.string()])),
        type: z.string().optional(),
        size: z.int(),
        /** Masked; nothing where it was too large, or a file. */
        text: z.string().optional(),
        base64: z.string().optional(),
      })
      .optional(),
    kept: z.record(z.string(), kept()),
  });

/** The schema of a record; made when one is read, since most runs read none. */
export const recordSchema = () =>
  z.strictObject({
    version: z.literal(1),
    run: z.string(),
    chain: z.string(),
    file: z.string(),
    environment: z.string().optional(),
    /** When it ended, in milliseconds since 1970. */
    at: z.number(),
    outcome: z.enum(['held', 'broke', 'cut off']),
    steps: z.array(step()),
    /** Undo and cleanup that the run was told to leave, with the names that they need. */
    left: z
      .strictObject({
        undo: z.array(z.strictObject({ step: z.string(), names: z.record(z.string(), kept()) })),
        names: z.record(z.string(), kept()),
      })
      .optional(),
  });

/** The last run of a chain: its steps, their last answers, and what they kept. All masked. */
export type Recorded = z.infer<ReturnType<typeof recordSchema>>;
export type RecordedStep = z.infer<ReturnType<typeof step>>;
