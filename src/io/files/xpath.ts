import fontoxpath from 'fontoxpath';
import { parseXmlDocument } from 'slimdom';
import type { Markup } from '../../core/language/markup.ts';
import { numberOf } from '../../core/language/numbers.ts';
import type { Value } from '../../core/language/values.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { documentOfHtml, isHtml } from './read-html.ts';

/** How deep elements may stand in each other; deeper ones take the library minutes. */
const MAXIMUM_DEPTH = 200;
/** A document of more tags would take more memory than there may be: each takes some half a kilobyte. */
const MOST_TAGS = 2_000_000;
/** The documents that were read last, since a step often asks several times. */
const RECENT = 4;

const documents = new Map<string, ReturnType<typeof parseXmlDocument>>();

/** Reads a text of XML, or a page of HTML. Throws `xml-invalid`. */
export function documentOf(xml: string): ReturnType<typeof parseXmlDocument> {
  const known = documents.get(xml);
  if (known) return known;
  let document: ReturnType<typeof parseXmlDocument>;
  try {
    refuseDepth(xml);
    document = parseXmlDocument(xml);
  } catch (error) {
    // XHTML is XML; any other page is read as browsers read it.
    if (isHtml(xml)) document = documentOfHtml(xml);
    else if (error instanceof ProblemError) throw error;
    else
      return fail('xml-invalid', `this is no XML: ${firstLine(error)}`, {
        ...(/^\s*</.test(xml) ? { hint: "css(body, 'SELECTOR') reads a part of a page of HTML" } : {}),
      });
  }
  documents.set(xml, document);
  if (documents.size > RECENT) documents.delete(documents.keys().next().value!);
  return document;
}

function refuseDepth(xml: string): void {
  let depth = 0;
  let tags = 0;
  for (const [tag] of xml.matchAll(/<!--[\s\S]*?-->|<!\[CDATA\[[\s\S]*?\]\]>|<\/?[^\s!?/>][^>]*>/g)) {
    if (++tags > MOST_TAGS)
      fail('xml-invalid', `the XML has more than ${MOST_TAGS} tags, the most that are read`);
    if (tag.startsWith('<!') || tag.endsWith('/>')) continue;
    depth += tag.startsWith('</') ? -1 : 1;
    if (depth > MAXIMUM_DEPTH)
      fail('xml-invalid', `the XML is nested more than ${MAXIMUM_DEPTH} levels deep`);
  }
}

/** Evaluates XPath 3.1: nodes give the list of their texts, undefined if there is none; a single value gives itself. */
export const xpath: Markup['xpath'] = (xml, expression, namespaces) => {
  const document = documentOf(xml);
  let found: unknown[];
  try {
    found = fontoxpath.evaluateXPath(
      expression,
      document,
      null,
      null,
      fontoxpath.evaluateXPath.ALL_RESULTS_TYPE,
      {
        language: fontoxpath.evaluateXPath.XPATH_3_1_LANGUAGE,
        namespaceResolver: (prefix: string) => namespaces.get(prefix) ?? null,
      },
    ) as unknown[];
  } catch (error) {
    return fail('xpath-invalid', `XPath: ${firstLine(error)}`);
  }
  const values = found.map(valueOf);
  return found.length === 1 && !isNode(found[0]) ? values[0] : values.length === 0 ? undefined : values;
};

function isNode(found: unknown): found is { nodeType: number; value?: string; textContent: string | null } {
  return typeof found === 'object' && found !== null && 'nodeType' in found;
}

function valueOf(found: unknown): Value {
  if (isNode(found)) return found.value ?? found.textContent ?? '';
  if (typeof found === 'boolean' || found === null) return found;
  if (typeof found === 'number') return Number.isFinite(found) ? numberOf(String(found)) : String(found);
  return typeof found === 'string' ? found : JSON.stringify(found);
}

function firstLine(error: unknown): string {
  const message = error instanceof Error ? error.message : String(error);
  // The library draws the expression with a mark under it; the position in our file says more.
  return (
    message.split('\n').find((line) => /[A-Z]{4}\d{4}|rror/.test(line)) ??
    message.split('\n')[0] ??
    ''
  ).trim();
}
