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

/** How many parts are given. */
const MOST = 200;

/**
 * The texts and attributes of a document, each with its XPath, and the namespaces that these use by their prefixes: those of the
 * document, and made-up ones where it has none. Of elements of one name the first stands for all. Undefined if it is no XML.
 */
export function xmlPaths(
  text: string,
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
    if (paths.length >= MOST) return;
    for (const { localName, name, namespaceURI, prefix, value } of element.attributes)
      if (name !== 'xmlns' && prefix !== 'xmlns')
        paths.push({
          path: `${path}/@${prefixOf(namespaceURI, prefix, localName)}${localName}`,
          text: shownText(value),
          inner: false,
        });
    const children = element.children;
    const own = (element.textContent ?? '').trim();
    if (children.length === 0 && own !== '') paths.push({ path, text: shownText(own), inner: false });
    const seen = new Map<string, number>();
    for (const child of children) {
      const step = `${prefixOf(child.namespaceURI, child.prefix, child.localName)}${child.localName}`;
      seen.set(step, (seen.get(step) ?? 0) + 1);
      if (seen.get(step) !== 1) continue;
      const all = children.filter(
        ({ localName, namespaceURI }) => localName === child.localName && namespaceURI === child.namespaceURI,
      ).length;
      visit(child, all > 1 ? `${path}/${step}[1]` : `${path}/${step}`);
      if (all > 1) paths.push({ path: `${path}/${step}`, text: `${all} of them`, inner: true });
    }
  };
  if (root) visit(root, `/${prefixOf(root.namespaceURI, root.prefix, root.localName)}${root.localName}`);
  return { paths, namespaces };
}

function shownText(text: string): string {
  return visible(shorten(text.replace(/\s+/g, ' '), 200));
}
