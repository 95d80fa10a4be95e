import type { Maybe, Value } from './values.ts';

/** Reads texts of XML and HTML. It is loaded only for expressions that call one of {@link MARKUP_FUNCTIONS}. */
export interface Markup {
  /**
   * Evaluates an XPath expression on a text of XML, or a page of HTML, with namespaces by their prefixes. Throws `xml-invalid`,
   * `xpath-invalid`.
   */
  xpath(text: string, expression: string, namespaces: ReadonlyMap<string, string>): Maybe;
  /**
   * The namespace that elements of a text of XML are in without a prefix, so that an XPath without prefixes finds none of them;
   * undefined where there is none.
   */
  defaultNamespace(text: string): string | undefined;
  /**
   * The texts of the elements of a page that a selector finds, or the values of one of their attributes; undefined if there is
   * none. Throws `selector-invalid`, `xml-invalid`.
   */
  css(text: string, selector: string, attribute: string | undefined): Maybe;
  /**
   * The fields of a form of a page as they would be sent: the form that has a name or an id, or the only one. Throws
   * `no-such-form`, `xml-invalid`.
   */
  form(text: string, name: string | undefined): Value;
  /** A document of XML as an object; `lists` are elements that are a list also where there is one. Throws `xml-invalid`. */
  xml(text: string, lists: ReadonlySet<string>): Value;
}

/** The functions of the language that read markup. */
export const MARKUP_FUNCTIONS: ReadonlySet<string> = new Set(['xpath', 'css', 'form', 'xml']);
