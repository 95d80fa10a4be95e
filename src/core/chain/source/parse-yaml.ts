import { type Document, isMap, isScalar, isSeq, parseDocument, YAMLParseError } from 'yaml';

/**
 * Reads YAML 1.2 with every scalar as its text. Errors are in the document, in the order of the text; they carry no stacks, which
 * of a file with thousands of them would cost most of the time.
 */
export function parseYaml(text: string, options: Parameters<typeof parseDocument>[1] = {}): Document.Parsed {
  const limit = Error.stackTraceLimit;
  Error.stackTraceLimit = 0;
  try {
    const document = parseDocument(text, {
      version: '1.2',
      schema: 'failsafe',
      prettyErrors: false,
      // Each key would be compared with each other one.
      uniqueKeys: false,
      ...options,
    });
    addKeysTwice(document);
    return document;
  } finally {
    Error.stackTraceLimit = limit;
  }
}

/** Adds an error for each key that stands in its map already. */
function addKeysTwice(document: Document.Parsed): void {
  const before = document.errors.length;
  const left: unknown[] = [document.contents];
  while (left.length > 0) {
    const node = left.pop();
    if (isSeq(node)) for (const item of node.items) left.push(item);
    if (!isMap(node)) continue;
    const known = new Set<unknown>();
    for (const { key, value } of node.items) {
      left.push(key, value);
      if (!isScalar(key)) continue;
      const at = key.range?.[0];
      if (known.has(key.value) && at !== undefined)
        document.errors.push(new YAMLParseError([at, at + 1], 'DUPLICATE_KEY', 'a key stands here twice'));
      known.add(key.value);
    }
  }
  if (document.errors.length > before) document.errors.sort((a, b) => a.pos[0] - b.pos[0]);
}
