import * as z from 'zod';

/** Where a request or a response is not as the description of its service says. */
export const deviationSchema = z.strictObject({
  /** The operation: `GET /v1/pieces/{id}`. */
  operation: z.string(),
  direction: z.enum(['request', 'response']),
  status: z.int().optional(),
  /** A path of `$`; of what is not in the body, a word for it. */
  path: z.string(),
  says: z.string(),
  /** At how many more items of lists it is the same. */
  also: z.int().optional(),
  /** Where the description says otherwise: `kiln.openapi.yaml:211`. */
  described: z.string().optional(),
});

/** A deviation as an event tells it. */
export type EventDeviation = z.infer<typeof deviationSchema>;
