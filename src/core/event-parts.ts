import * as z from 'zod';

/** What events are made of. Times (`at`) are milliseconds since 1970, other times milliseconds. */

const at = z.number();
const step = z.string();
const attempt = z.int().min(1);
const headers = z.array(z.tuple([z.string(), z.string()]).readonly()).readonly();
const place = z.strictObject({ file: z.string(), line: z.int(), column: z.int() });

const problem = z.strictObject({
  code: z.string(),
  message: z.string(),
  hint: z.string().optional(),
  place: place.optional(),
});

/** A body by what identifies it; `text` is the beginning of one that is text, up to 4 KiB. */
const body = z.strictObject({
  size: z.int(),
  /** SHA-256 in hexadecimal digits, by which the whole is kept; undefined if `text` is the whole already, where the body comes
   * from a file or goes into one, or where no bodies are kept. */
  digest: z.string().optional(),
  type: z.string().optional(),
  text: z.string().optional(),
  cut: z.boolean().optional(),
  /** Only the beginning of the body was kept at all. */
  beginning: z.boolean().optional(),
});

const phases = z.strictObject({
  name: z.number().optional(),
  connect: z.number().optional(),
  tls: z.number().optional(),
  firstByte: z.number().optional(),
  body: z.number().optional(),
});

/**
 * A value as a text in JSON's notation, masked; whole in `typed` where JSON does not say its kind, or sealed where it holds
 * something secret.
 */
const kept = z.strictObject({
  value: z.string(),
  typed: z.string().optional(),
  sealed: z.string().optional(),
});

const file = z.strictObject({ path: z.string(), digest: z.string() });

/** The parts of events, by their names. */
export const eventParts = { at, step, attempt, headers, place, problem, body, phases, kept, file };
