import { selectAll } from 'css-select';
import {
  type Document as HtmlDocument,
  type Element,
  isCDATA,
  isTag,
  isText,
  type ParentNode,
} from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { Document } from 'slimdom';
import { nameList, nearest } from '../../core/language/nearest.ts';
import { objectOf, type Maybe, type Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';

/** How deep elements may stand in each other; what reads them calls itself for each level. */
const MAXIMUM_DEPTH = 500;
/** A page of more tags would take more memory than there may be: each takes about a kilobyte. */
const MOST_TAGS = 300_000;
/** The pages that were read last, since a step often asks several times. */
const RECENT = 4;

const pages = new Map<string, HtmlDocument>();

/** Reads a page as browsers do, whatever is wrong with it. See [HTML Standard, 13.2](https://html.spec.whatwg.org/multipage/parsing.html). */
function pageOf(html: string): HtmlDocument {
  const known = pages.get(html);
  if (known) return known;
  refuseSize(html);
  const page = parse(html, { treeAdapter: adapter });
  refuseDepth(page);
  pages.set(html, page);
  if (pages.size > RECENT) pages.delete(pages.keys().next().value!);
  return page;
}

function refuseSize(html: string): void {
  let tags = 0;
  for (let at = html.indexOf('<'); at >= 0; at = html.indexOf('<', at + 1))
    if (++tags > MOST_TAGS)
      fail('xml-invalid', `the HTML has more than ${MOST_TAGS} tags, the most that are read`);
}

function refuseDepth(page: HtmlDocument): void {
  let level: ParentNode[] = [page];
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > MAXIMUM_DEPTH)
      fail('xml-invalid', `the HTML is nested more than ${MAXIMUM_DEPTH} levels deep`);
    level = level.flatMap((one) => one.children.filter(isTag));
  }
}

/** Elements with which a page, or a part of one, begins; hardly a document of XML does. */
const BEGINNINGS =
  'html|head|body|title|meta|link|script|style|div|p|h[1-6]|table|ul|ol|dl|form|span|section|main|article|header|nav|br|hr|img';

const PAGE = new RegExp(
  `^[\\s\\ufeff]*(?:<!--[^]{0,2000}?-->\\s*){0,5}<(?:!doctype\\s+html|(?:${BEGINNINGS}))\\b`,
  'i',
);

/** Whether a text that is no XML is a page of HTML, or a part of one. */
export function isHtml(text: string): boolean {
  return PAGE.test(text.slice(0, 20_000));
}

/** The page as a document in which XPath finds elements by their names, which are in small letters and in no namespace. */
export function documentOfHtml(html: string): Document {
  const document = new Document();
  const copy = (from: ParentNode, to: Document | ReturnType<Document['createElement']>): void => {
    for (const child of from.children) {
      if (isTag(child)) {
        const element = document.createElementNS(null, xmlName(child.name));
        for (const [name, value] of Object.entries(child.attribs))
          if (/^[A-Za-z_][\w.-]*$/.test(name)) element.setAttribute(name, value);
        to.appendChild(element);
        copy(child, element);
      } else if ((isText(child) || isCDATA(child)) && to !== document)
        to.appendChild(document.createTextNode(textOf(child)));
    }
  };
  copy(pageOf(html), document);
  return document;
}

/** A name that XML can have; what a page invents beyond that is found by no path. */
function xmlName(name: string): string {
  return /^[A-Za-z_][\w.-]*$/.test(name) ? name : 'unnamed';
}

function textOf(node: unknown): string {
  const { data, children } = node as { data?: string; children?: unknown[] };
  return data ?? (children ?? []).map(textOf).join('');
}

/** The text of an element as a person reads it: white space is one space, and there is none at its ends. */
function readable(element: Element): string {
  const parts = (node: Element): string =>
    node.children
      .map((child) =>
        isText(child)
          ? child.data
          : isTag(child) && !/^(?:script|style|template)$/.test(child.name)
            ? parts(child)
            : '',
      )
      .join('');
  return parts(element).replace(/\s+/g, ' ').trim();
}

export function css(html: string, selector: string, attribute: string | undefined): Maybe {
  const found = select(selector, pageOf(html));
  const values = found.flatMap((one): string[] => {
    if (attribute === undefined) return [readable(one)];
    const value = one.attribs[attribute.toLowerCase()];
    return value === undefined ? [] : [value];
  });
  return values.length === 0 ? undefined : values;
}

function select(selector: string, within: ParentNode): Element[] {
  try {
    return selectAll(selector, within as never);
  } catch (error) {
    return fail('selector-invalid', `'${selector}' is no selector of CSS: ${(error as Error).message}`, {
      hint: "css(body, 'table.glazes td:first-child')",
    });
  }
}

export function form(html: string, name: string | undefined): Value {
  const page = pageOf(html);
  const forms = select('form', page);
  const names = forms.flatMap(
    ({ attribs }) => [attribs.name, attribs.id].filter((one) => (one ?? '') !== '') as string[],
  );
  const found = forms.filter(
    ({ attribs }) => name === undefined || attribs.name === name || attribs.id === name,
  );
  if (found.length !== 1)
    fail(
      'no-such-form',
      forms.length === 0
        ? 'the page has no form'
        : name === undefined
          ? `the page has ${forms.length} forms, so one has to be named`
          : `the page has ${found.length === 0 ? 'no form' : `${found.length} forms`} with the name or id ${name}`,
      names.length === 0
        ? {}
        : { hint: (name === undefined ? undefined : nearest(name, names)) ?? `it has ${nameList(names)}` },
    );
  const [wanted] = found as [Element];
  const id = wanted.attribs.id;
  // A field outside a form may say which one it belongs to.
  const fields = select('input, select, textarea', page).filter((one) =>
    one.attribs.form === undefined ? isInside(one, wanted) : id !== undefined && one.attribs.form === id,
  );
  const values = new Map<string, string[]>();
  for (const field of fields)
    for (const value of submitted(field)) {
      const own = field.attribs.name!;
      const known = values.get(own);
      if (known) known.push(value);
      else values.set(own, [value]);
    }
  return objectOf([...values].map(([own, all]): [string, Value] => [own, all.length === 1 ? all[0]! : all]));
}

function isInside(one: Element, outer: Element): boolean {
  for (let at: ParentNode | null = one.parent; at; at = (at as Element).parent) if (at === outer) return true;
  return false;
}

/** The values that a field is sent with when nobody has touched it. See [HTML Standard, 4.10.22.4](https://html.spec.whatwg.org/multipage/form-control-infrastructure.html#constructing-form-data-set). */
function submitted(field: Element): string[] {
  const { attribs, name: tag } = field;
  if ((attribs.name ?? '') === '' || attribs.disabled !== undefined) return [];
  if (tag === 'textarea')
    return [
      textOf(field)
        .replace(/\r\n?|\n/g, '\r\n')
        .replace(/^\r\n/, ''),
    ];
  if (tag === 'select') {
    const options = select('option', field).filter((one) => one.attribs.disabled === undefined);
    const chosen = options.filter((one) => one.attribs.selected !== undefined);
    const isMany = attribs.multiple !== undefined;
    const own = isMany ? chosen : [chosen.at(-1) ?? options[0]].filter((one) => one !== undefined);
    return own.map((one) => one.attribs.value ?? readable(one));
  }
  const type = (attribs.type ?? 'text').toLowerCase();
  if (['submit', 'button', 'image', 'reset', 'file'].includes(type)) return [];
  if (type === 'checkbox' || type === 'radio')
    return attribs.checked === undefined ? [] : [attribs.value ?? 'on'];
  return [attribs.value ?? ''];
}
