import type { EventOf } from '../../core/events.ts';
import { shorten } from '../../core/language/show.ts';
import type { OpenRun } from '../../api/open-run.ts';
import { responseTree, type TreeLine } from './response-tree.ts';

/** What a body is shown as: its parts with their paths, and what to know of these. */
export interface BodyLines {
  readonly lines: readonly TreeLine[];
  /** How the paths are written in a chain, where they are none of `$`. */
  readonly note?: string;
  /** The expression that a path stands for; the path itself without it. */
  readonly expressionOf?: (path: string) => string;
}

/** The parts of a recorded response with the path of each; undefined where it has none, as a text or a picture. */
export async function bodyLines(
  open: OpenRun,
  response: EventOf<'response-received'>,
): Promise<BodyLines | undefined> {
  const { type = '' } = response.body;
  if (/[/+]xml$/.test(type)) {
    const text = open.text(response);
    return text === undefined ? undefined : xmlBodyLines(text);
  }
  const value = await open.readValue(response);
  if (value === undefined || value instanceof Uint8Array) return undefined;
  // A text of JSON is a value; any other text is shown as it came.
  if (typeof value === 'string' && !/json/.test(type)) return undefined;
  return { lines: responseTree(value) };
}

async function xmlBodyLines(text: string): Promise<BodyLines | undefined> {
  const { xmlPaths, xpathExpression } = await import('../../api/xml-paths.ts');
  const found = xmlPaths(text);
  if (!found) return undefined;
  const prefixes = [...found.namespaces]
    .map(([prefix, uri]) => `${prefix}: '${shorten(uri, 120)}'`)
    .join(', ');
  return {
    lines: found.paths.map(({ path, text: own, inner }) => ({ path, text: own, inner })),
    expressionOf: (path) => xpathExpression(path, found.namespaces),
    note: prefixes === '' ? "xpath(body, 'PATH')" : `xpath(body, 'PATH', { ${prefixes} })`,
  };
}
