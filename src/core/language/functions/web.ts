import { fail } from '../../problems.ts';
import type { Environment } from '../environment.ts';
import type { Markup } from '../markup.ts';
import { shorten, visible } from '../show.ts';
import { decodeBase64, fromUtf8 } from '../encodings.ts';
import { parseJson } from '../json.ts';
import { ANY, BIT, JSON_VALUE, listOf, maybe, NUMBER, OBJECT, objectKind, TEXT } from '../kinds.ts';
import { findLink } from '../links.ts';
import {
  isObject,
  memberOf,
  objectOf,
  setMember,
  type Maybe,
  type Value,
  type ValueObject,
} from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';

const family = 'web';

function urlOf(text: string, base?: string): URL {
  try {
    return new URL(text, base);
  } catch {
    return fail('not-a-url', `'${shorten(text, 80)}' is not a URL`, {
      hint: 'resolve(url, reference) makes one of a relative reference',
    });
  }
}

function queryOf(url: URL): ValueObject {
  const query: ValueObject = {};
  for (const name of new Set(url.searchParams.keys())) {
    const all = url.searchParams.getAll(name);
    setMember(query, name, all.length === 1 ? all[0]! : all);
  }
  return query;
}

/** Follows a JSON Pointer (RFC 6901). */
function followPointer(value: Value, pointer: string): Maybe {
  if (pointer === '') return value;
  if (!pointer.startsWith('/'))
    fail('not-a-pointer', `'${pointer}' is not a JSON Pointer, which begins with /`);
  let current: Maybe = value;
  for (const part of pointer.slice(1).split('/')) {
    const name = part.replaceAll('~1', '/').replaceAll('~0', '~');
    if (Array.isArray(current))
      current = /^(?:0|[1-9][0-9]*)$/.test(name) ? current[Number(name)] : undefined;
    else current = isObject(current) ? memberOf(current, name) : undefined;
    if (current === undefined) return undefined;
  }
  return current;
}

function markupOf({ world }: Environment): Markup {
  return world.markup ?? fail('xml-invalid', "markup can't be read here");
}

export const webFunctions = [
  define(family, 'link', {
    about:
      'The address with a relation in the Link field of this response (RFC 8288), made absolute; nothing where there is none.',
    parameters: [takes.text('relation')],
    returns: maybe(TEXT),
    examples: [["link('next')", '"http://127.0.0.1:4717/v1/racks/A3/pieces?page=2"']],
    evaluate: ([relation], environment) => {
      const headers = environment.name('headers');
      const field = headers !== undefined && isObject(headers) ? memberOf(headers, 'link') : undefined;
      const base = environment.name('url');
      const target = typeof field === 'string' ? findLink(field, relation) : undefined;
      return target === undefined
        ? undefined
        : urlOf(target, typeof base === 'string' ? base : undefined).href;
    },
  }),
  define(family, 'url', {
    about:
      'The parts of a URL: `scheme host port path query fragment origin`; `query` is an object of its parameters.',
    parameters: [takes.text('text')],
    returns: objectKind({
      scheme: TEXT,
      host: TEXT,
      port: maybe(NUMBER),
      path: TEXT,
      query: OBJECT,
      fragment: TEXT,
      origin: TEXT,
    }),
    examples: [["url('https://kiln.example/v1?page=2').query.page", '"2"']],
    evaluate: ([text]) => {
      const url = urlOf(text);
      return objectOf([
        ['scheme', url.protocol.slice(0, -1)],
        ['host', url.hostname],
        ...(url.port === '' ? [] : [['port', Number(url.port)] as const]),
        ['path', url.pathname],
        ['query', queryOf(url)],
        ['fragment', url.hash.slice(1)],
        ['origin', url.origin],
      ]);
    },
  }),
  define(family, 'resolve', {
    about: 'A reference made absolute against a base URL (RFC 3986, section 5).',
    parameters: [takes.text('base'), takes.text('reference')],
    returns: TEXT,
    examples: [["resolve('https://kiln.example/v1/racks', 'pieces')", '"https://kiln.example/v1/pieces"']],
    evaluate: ([base, reference]) => urlOf(reference, base).href,
  }),
  define(family, 'pointer', {
    about: 'What a JSON Pointer (RFC 6901) finds in a value.',
    parameters: [takes.any('value'), takes.text('pointer')],
    returns: maybe(ANY),
    examples: [["pointer({ a: [5, 6] }, '/a/1')", '6']],
    evaluate: ([value, pointer]) => followPointer(value, pointer),
  }),
  define(family, 'xpath', {
    about:
      'What an XPath 3.1 expression finds in a text of XML: the list of the texts of nodes, or the value of count(…), string(…) and the like. Prefixes are those of the third argument.',
    parameters: [takes.text('xml'), takes.text('expression'), optionalParameter(takes.object('namespaces'))],
    returns: maybe({ bits: BIT.list | BIT.text | BIT.number | BIT['yes or no'] }),
    examples: [
      ["xpath('<kiln><glaze>ash</glaze></kiln>', '//glaze')", '["ash"]'],
      ["xpath('<kiln><glaze>ash</glaze></kiln>', 'count(//glaze)')", '1'],
      ["xpath('<k:kiln xmlns:k=\"urn:kiln\"/>', 'count(/a:kiln)', { a: 'urn:kiln' })", '1'],
    ],
    evaluate: ([xml, expression, namespaces], environment) => {
      const markup = markupOf(environment);
      const prefixes = Object.entries(namespaces ?? {}).map(
        ([prefix, uri]) => [prefix, uri as string] as const,
      );
      const found = markup.xpath(xml, expression, new Map(prefixes));
      const isNothing = found === undefined || found === 0 || found === '';
      const hidden = isNothing && !/[\w-]:[\w-]/.test(expression) ? markup.defaultNamespace(xml) : undefined;
      if (hidden !== undefined)
        environment.warn?.({
          code: 'namespace-hides',
          message: `the elements of this XML are in the namespace ${visible(shorten(hidden, 120))}, and XPath finds them by a prefix for it: xpath(…, '//n:NAME', { n: '${visible(shorten(hidden, 120))}' })`,
        });
      return found;
    },
  }),
  define(family, 'css', {
    about:
      'The texts of the elements of a page of HTML that a CSS selector finds, or the values of an attribute of theirs, as a list; nothing where there is none. White space is read as one space.',
    parameters: [takes.text('html'), takes.text('selector'), optionalParameter(takes.text('attribute'))],
    returns: maybe(listOf(TEXT)),
    examples: [
      ["css('<ul><li>ash<li class=new>iron &amp; clay</ul>', 'li.new')", '["iron & clay"]'],
      [`css('<a href="/next?a=1&amp;b=2">on</a>', 'a', 'href')`, '["/next?a=1&b=2"]'],
    ],
    evaluate: ([html, selector, attribute], environment) =>
      markupOf(environment).css(html, selector, attribute),
  }),
  define(family, 'form', {
    about:
      'The fields of a form of a page of HTML as a browser would send them, hidden ones among them: the form with this name or id, or the only one. A field that is sent several times is a list.',
    parameters: [takes.text('html'), optionalParameter(takes.text('name'))],
    returns: OBJECT,
    examples: [
      [
        `form('<form><input name=user><input type=hidden name=token value="a&amp;b"></form>')`,
        '{"user":"","token":"a&b"}',
      ],
    ],
    evaluate: ([html, name], environment) => markupOf(environment).form(html, name),
  }),
  define(family, 'xml', {
    about:
      "A document of XML as an object: the root element by its name, in it attributes as '@name', elements by their names, and a text beside them as 'text'. An element with nothing but a text is that text; several of one name are a list, and so are those that the second argument names. Prefixes are left out.",
    parameters: [takes.text('xml'), optionalParameter(takes.list('lists'))],
    returns: JSON_VALUE,
    examples: [
      [
        `xml('<rack id="A3"><bowl>ash</bowl><bowl>iron</bowl></rack>')`,
        '{"rack":{"@id":"A3","bowl":["ash","iron"]}}',
      ],
      ["xml('<rack><bowl>ash</bowl></rack>', ['bowl']).rack.bowl", '["ash"]'],
    ],
    evaluate: ([xml, lists], environment) =>
      markupOf(environment).xml(
        xml,
        new Set((lists ?? []).filter((one): one is string => typeof one === 'string')),
      ),
  }),
  define(family, 'jwt', {
    about: 'The claims of a JSON Web Token (RFC 7519). Its signature is not verified.',
    parameters: [takes.text('token')],
    returns: JSON_VALUE,
    examples: [["jwt('e30.eyJzdWIiOiJhIn0.x').sub", '"a"']],
    evaluate: ([token]) => {
      const [, claims, , more] = token.split('.');
      const bytes = claims === undefined || more !== undefined ? undefined : decodeBase64(claims);
      const text = bytes && fromUtf8(bytes);
      if (text === undefined)
        fail(
          'not-encoded',
          'this text is not a JSON Web Token: three parts of base64 with points between them',
        );
      return parseJson(text);
    },
  }),
];
