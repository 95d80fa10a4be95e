import type { Markup } from '../../core/language/markup.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { css, form } from './read-html.ts';
import { documentOf, xpath } from './xpath.ts';

type XmlElement = NonNullable<ReturnType<typeof documentOf>['documentElement']>;

/** Reads XML and HTML. */
export const markup: Markup = {
  xpath,
  css,
  form,
  defaultNamespace: (text) => {
    const root = documentOf(text).documentElement;
    return root?.prefix === null && root.namespaceURI !== null ? root.namespaceURI : undefined;
  },
  xml: (text, lists) => {
    const root = documentOf(text).documentElement!;
    return objectOf([[root.localName, valueOf(root, lists)]]);
  },
};

function valueOf(element: XmlElement, lists: ReadonlySet<string>): Value {
  const members = new Map<string, Value[]>();
  for (const { name, prefix, localName, value } of element.attributes) {
    // What declares namespaces is no attribute of the data.
    if (name !== 'xmlns' && prefix !== 'xmlns') members.set(`@${localName}`, [value]);
  }
  for (const child of element.children) {
    const known = members.get(child.localName);
    if (known) known.push(valueOf(child, lists));
    else members.set(child.localName, [valueOf(child, lists)]);
  }
  const text = element.childNodes
    .map((child) =>
      child.nodeType === 3 || child.nodeType === 4 ? (child as unknown as { data: string }).data : '',
    )
    .join('');
  if (members.size === 0) return text;
  if (text.trim() !== '') members.set('text', [text.trim()]);
  return objectOf(
    [...members].map(([name, values]): [string, Value] => [
      name,
      values.length === 1 && !lists.has(name) ? values[0]! : values,
    ]),
  );
}
