import { visible, shorten } from '../core/language/show.ts';
import { ProblemError } from '../core/problems.ts';
import { documentOf } from '../io/files/xpath.ts';

type XmlElement = NonNullable<ReturnType<typeof documentOf>['documentElement']>;

/** A part of a document of XML, and the XPath that finds it. */
export interface XmlPath {
  readonly path: string;
  readonly text: string;
  /** It stands for others that are like it. */
  readonly inner: boolean;
}

/** How many parts are given: of a document to look at, and of one to look through. */
const MOST = 200;
const MOST_WHOLE = 20_000;

/**
 * The texts and attributes of a document, each with its XPath, and the namespaces that these use by their prefixes: those of the
 * document, and made-up ones where it has none. Of elements of one name the first stands for all, unless the whole is wanted. Undefined if it is no XML.
 */
export function xmlPaths(
  text: string,
  { isWhole = false }: { readonly isWhole?: boolean } = {},
): { readonly paths: readonly XmlPath[]; readonly namespaces: ReadonlyMap<string, string> } | undefined {
  let root: XmlElement | null;
  try {
    root = documentOf(text).documentElement;
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
  const namespaces = new Map<string, string>();
  const prefixOf = (uri: string | null, own: string | null, name: string): string => {
    if (uri === null) return '';
    for (const [known, one] of namespaces) if (one === uri) return `${known}:`;
    let prefix = own ?? /^[a-z]/i.exec(name)?.[0].toLowerCase() ?? 'n';
    while (namespaces.has(prefix)) prefix += 'x';
    namespaces.set(prefix, uri);
    return `${prefix}:`;
  };
  const paths: XmlPath[] = [];
  const visit = (element: XmlElement, path: string): void => {
    if (paths.length >= (isWhole ? MOST_WHOLE : MOST)) return;
    for (const { localName, name, namespaceURI, prefix, value } of element.attributes)
      if (name !== 'xmlns' && prefix !== 'xmlns')
        paths.push({
          path: `${path}/@${prefixOf(namespaceURI, prefix, localName)}${localName}`,
          text: shownText(value),
          inner: false,
        });
    const children = element.children;
    const own = children.length === 0 ? (element.textContent ?? '').trim() : '';
    if (own !== '') paths.push({ path, text: shownText(own), inner: false });
    const steps = children.map(
      (child) => `${prefixOf(child.namespaceURI, child.prefix, child.localName)}${child.localName}`,
    );
    const counts = new Map<string, number>();
    for (const step of steps) counts.set(step, (counts.get(step) ?? 0) + 1);
    const seen = new Map<string, number>();
    for (const [i, child] of children.entries()) {
      const step = steps[i]!;
      const nth = (seen.get(step) ?? 0) + 1;
      seen.set(step, nth);
      if (nth !== 1 && !isWhole) continue;
      const all = counts.get(step)!;
      visit(child, all > 1 ? `${path}/${step}[${nth}]` : `${path}/${step}`);
      if (all > 1 && !isWhole) paths.push({ path: `${path}/${step}`, text: `${all} of them`, inner: true });
    }
  };
  if (root) visit(root, `/${prefixOf(root.namespaceURI, root.prefix, root.localName)}${root.localName}`);
  return { paths, namespaces };
}

function shownText(text: string): string {
  return visible(shorten(text.replace(/\s+/g, ' '), 200));
}

/** The expression that gives what a path of a document finds: the text of one node. */
export function xpathExpression(path: string, namespaces: ReadonlyMap<string, string>): string {
  const prefixes = [...namespaces]
    .filter(([prefix]) => path.includes(`${prefix}:`))
    .map(([prefix, uri]) => `${prefix}: '${uri.replaceAll("'", '')}'`)
    .join(', ');
  return `first(xpath(body, '${path}'${prefixes === '' ? '' : `, { ${prefixes} }`}))`;
}
