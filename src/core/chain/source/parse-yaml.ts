import { type Document, parseDocument } from 'yaml';

/**
 * Reads YAML 1.2 with every scalar as its text. Errors are in the document; they carry no stacks, which of a file with
 * thousands of them would cost most of the time.
 */
export function parseYaml(text: string, options: Parameters<typeof parseDocument>[1] = {}): Document.Parsed {
  const limit = Error.stackTraceLimit;
  Error.stackTraceLimit = 0;
  try {
    return parseDocument(text, {
      version: '1.2',
      schema: 'failsafe',
      prettyErrors: false,
      ...options,
    });
  } finally {
    Error.stackTraceLimit = limit;
  }
}
