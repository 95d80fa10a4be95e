import { readFileSync, statSync } from 'node:fs';
import * as z from 'zod';
import { fail } from '../../core/problems.ts';
import { parseData } from '../../io/description/parse-data.ts';
import { withoutLines } from '../../core/contract/document.ts';

/** A document takes no more, in bytes. */
const LARGEST = 16 * 1024 * 1024;

const criterion = z.object({
  context: z.string().optional(),
  condition: z.string(),
  type: z.union([z.string(), z.object({ type: z.string() }).transform(({ type }) => type)]).optional(),
});

const parameter = z.object({
  name: z.string().optional(),
  in: z.string().optional(),
  value: z.unknown().optional(),
  reference: z.string().optional(),
});

const action = z.object({
  name: z.string().optional(),
  type: z.string().optional(),
  workflowId: z.string().optional(),
  stepId: z.string().optional(),
  retryAfter: z.number().optional(),
  retryLimit: z.number().optional(),
  criteria: z.array(criterion).optional(),
  reference: z.string().optional(),
});

const step = z.object({
  stepId: z.string(),
  description: z.string().optional(),
  operationId: z.string().optional(),
  operationPath: z.string().optional(),
  workflowId: z.string().optional(),
  parameters: z.array(parameter).catch([]).optional(),
  requestBody: z
    .object({
      contentType: z.string().optional(),
      payload: z.unknown().optional(),
      replacements: z.array(z.object({ target: z.string(), value: z.unknown() })).optional(),
    })
    .optional(),
  successCriteria: z.array(criterion).optional(),
  onSuccess: z.array(action).optional(),
  onFailure: z.array(action).optional(),
  outputs: z.record(z.string(), z.string()).optional(),
});

const workflow = z.object({
  workflowId: z.string(),
  summary: z.string().optional(),
  description: z.string().optional(),
  inputs: z.unknown().optional(),
  dependsOn: z.array(z.string()).optional(),
  steps: z.array(step),
  successActions: z.array(action).optional(),
  failureActions: z.array(action).optional(),
  outputs: z.record(z.string(), z.string()).optional(),
  parameters: z.array(parameter).optional(),
});

const documentSchema = z.object({
  arazzo: z.string().regex(/^1\./),
  info: z.object({ title: z.string().catch('') }).catch({ title: '' }),
  sourceDescriptions: z.array(z.object({ name: z.string(), url: z.string(), type: z.string().optional() })),
  workflows: z.array(workflow),
  components: z
    .object({
      inputs: z.record(z.string(), z.unknown()).optional(),
      parameters: z.record(z.string(), parameter).optional(),
      successActions: z.record(z.string(), action).optional(),
      failureActions: z.record(z.string(), action).optional(),
    })
    .optional(),
});

/** A document of the Arazzo Specification 1.0 (https://spec.openapis.org/arazzo/v1.0.1.html), as far as it is read. */
export type ArazzoDocument = z.infer<typeof documentSchema>;
export type ArazzoWorkflow = z.infer<typeof workflow>;
export type ArazzoStep = z.infer<typeof step>;
export type ArazzoCriterion = z.infer<typeof criterion>;
export type ArazzoAction = z.infer<typeof action>;

/** Reads a document. Throws `import-unreadable`, `not-a-description`. */
export function readArazzo(path: string): ArazzoDocument {
  if (statSync(path).size > LARGEST)
    fail('import-unreadable', `${path} is larger than ${LARGEST / 1024 / 1024} MiB`);
  const read = documentSchema.safeParse(withoutLines(parseData(readFileSync(path, 'utf8'), path)));
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  return fail(
    'import-unreadable',
    `${path} is no Arazzo document of version 1: ${issue ? `${issue.path.join('.')}: ${issue.message}` : ''}`,
  );
}

/** A part that stands under `components`, where a `reference` names it. */
export function componentOf<T>(
  parts: Readonly<Record<string, T>> | undefined,
  reference: string,
): T | undefined {
  const name = /^\$components\.\w+\.([\w.-]+)$/.exec(reference)?.[1];
  return name !== undefined && parts && Object.hasOwn(parts, name) ? parts[name] : undefined;
}
