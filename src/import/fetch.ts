import { type AnyNode, type CallExpression, type NewExpression, type ObjectExpression, parse } from 'acorn';
import { objectOf, type Value } from '../core/language/values.ts';
import { fail } from '../core/problems.ts';
import { bodyOfMessage } from './http-message.ts';
import { markAddress, nameOfPlaceholder, variable } from './placeholders.ts';
import type { ImportedBody, ImportedPart, ImportedRequest } from './request.ts';
import {
  FILE_READERS,
  isFile,
  isMember,
  nameOfCallee,
  numberAsWritten,
  queryText,
  textOf,
  variableOf,
  withMarks,
} from './fetch-nodes.ts';

/** Options of fetch that say nothing about the request as it is sent. */
const IGNORED: ReadonlySet<string> = new Set([
  'mode',
  'credentials',
  'cache',
  'redirect',
  'referrer',
  'referrerPolicy',
  'keepalive',
  'priority',
  'signal',
  'integrity',
  'duplex',
  'next',
]);

/**
 * Reads the calls of fetch in JavaScript, as documentation shows them, into the requests that they would send, in the order in
 * which they stand. The snippet is read as data and never carried out: names that it defines with plain values are followed,
 * all others are left open. Throws `import-unreadable`.
 */
export function importFetches(source: string): ImportedRequest[] {
  let program: AnyNode;
  try {
    program = parse(source, {
      ecmaVersion: 'latest',
      sourceType: 'module',
      allowAwaitOutsideFunction: true,
      allowReturnOutsideFunction: true,
      allowHashBang: true,
    });
  } catch (error) {
    return fail('import-unreadable', `this is no JavaScript: ${(error as Error).message}`, {
      hint: "fetch('https://…', { … })",
    });
  }
  const reader = new Reader(program);
  const calls = reader.calls.filter(({ callee }) => nameOfCallee(callee) === 'fetch');
  if (calls.length === 0)
    return fail('import-unreadable', 'nothing in this snippet calls fetch', {
      hint: "fetch('https://…', { … })",
    });
  // Where a call stands inside another one, the inner one is carried out first; else as they are written.
  return calls.sort((a, b) => a.end - b.end).map((call) => reader.request(call));
}

/** `append(name, value, filename?)`. */
interface Appended {
  readonly name: AnyNode;
  readonly value: AnyNode;
  /** It takes the place of others with its name. */
  readonly isOnly: boolean;
  readonly filename?: AnyNode;
}

class Reader {
  readonly calls: CallExpression[] = [];
  readonly #bound = new Map<string, AnyNode>();
  /** What was appended to a form, or to parameters, by the name of its variable; `url.searchParams` for those of an address. */
  readonly #appended = new Map<string, Appended[]>();
  #notes: string[] = [];

  constructor(program: AnyNode) {
    this.#visit(program);
    for (const call of this.calls) this.#append(call);
  }

  /** Collects the calls of a program and what its names are bound to; a name that is bound twice is left open. */
  #visit(node: AnyNode): void {
    if (node.type === 'CallExpression') this.calls.push(node);
    if (node.type === 'VariableDeclarator' && node.id.type === 'Identifier' && node.init) {
      if (this.#bound.has(node.id.name)) this.#bound.delete(node.id.name);
      else this.#bound.set(node.id.name, node.init);
    }
    for (const child of Object.values(node) as unknown[]) {
      for (const one of Array.isArray(child) ? (child as unknown[]) : [child])
        if (typeof one === 'object' && one !== null && 'type' in one) this.#visit(one as AnyNode);
    }
  }

  /** `form.append('name', value)`, `url.searchParams.set('name', value)`. */
  #append({ callee, arguments: [name, value, filename] }: CallExpression): void {
    const method = nameOfCallee(callee);
    if (callee.type !== 'MemberExpression' || (method !== 'append' && method !== 'set') || !name || !value)
      return;
    const of = variableOf(callee.object);
    if (of === undefined) return;
    const one = { name, value, isOnly: method === 'set', ...(filename ? { filename } : {}) };
    this.#appended.set(of, [...(this.#appended.get(of) ?? []), one]);
  }

  /** The parts of a form, in their order. */
  #parts(form: string): ImportedPart[] {
    return this.#appended.get(form)!.reduce<ImportedPart[]>((parts, one) => {
      const part = this.#part(one);
      const first = parts.findIndex(({ name }) => name === part.name);
      if (!one.isOnly || first < 0) return [...parts, part];
      return parts.flatMap((other, i) => (i === first ? [part] : other.name === part.name ? [] : [other]));
    }, []);
  }

  /** Does to parameters what the snippet does to a variable. */
  #change(parameters: URLSearchParams, of: string | undefined): URLSearchParams {
    for (const { isOnly, name, value } of of === undefined ? [] : (this.#appended.get(of) ?? []))
      parameters[isOnly ? 'set' : 'append'](this.#text(name), this.#text(value));
    return parameters;
  }

  /** A part of a form: a text, or a file. */
  #part({ filename, name, value }: Appended): ImportedPart {
    const part = { name: this.#text(name), ...(filename ? { filename: this.#text(filename) } : {}) };
    const node = this.#follow(value);
    const file = this.#fileRead(node);
    if (file !== undefined) return { ...part, file };
    if (node.type === 'NewExpression' && /^(?:Blob|File)$/.test(nameOfCallee(node.callee) ?? ''))
      return { ...part, ...this.#blob(node) };
    // A file that a person chooses on a page, or that came from elsewhere.
    if (isFile(value) || (filename && node.type !== 'Literal' && node.type !== 'TemplateLiteral'))
      return { ...part, file: variable('file') };
    return { ...part, value: this.#text(value) };
  }

  /** `new Blob(['…'], { type })`, `new File([…], 'name')`. */
  #blob({ callee, arguments: given }: NewExpression): Omit<ImportedPart, 'name'> {
    const [parts, second, third] = given;
    const list = parts && this.#follow(parts);
    const items = list?.type === 'ArrayExpression' ? list.elements.flatMap((one) => (one ? [one] : [])) : [];
    const isNamed = nameOfCallee(callee) === 'File' && second !== undefined;
    const options = isNamed ? third : second;
    const settings = options && this.#follow(options);
    const type = settings?.type === 'ObjectExpression' ? this.#member(settings, 'type') : undefined;
    const [only] = items;
    const file = items.length === 1 && only ? this.#fileRead(this.#follow(only)) : undefined;
    return {
      ...(isNamed ? { filename: this.#text(second) } : {}),
      ...(type ? { type: this.#text(type) } : {}),
      ...(file === undefined ? { value: items.map((item) => this.#text(item)).join('') } : { file }),
    };
  }

  /** The path of a file that is read there. */
  #fileRead(given: AnyNode): string | undefined {
    const node = this.#follow(given);
    const [path] = node.type === 'CallExpression' ? node.arguments : [];
    return node.type === 'CallExpression' && path && FILE_READERS.has(nameOfCallee(node.callee) ?? '')
      ? this.#text(path).replace(/^\.\//, '')
      : undefined;
  }

  /** Names and values of parameters: `new URLSearchParams(…)`, and what was appended to them. */
  #parameters(given: AnyNode): [string, string][] | undefined {
    const node = this.#follow(given);
    if (node.type !== 'NewExpression' || nameOfCallee(node.callee) !== 'URLSearchParams') return undefined;
    const [first] = node.arguments;
    return [...this.#change(new URLSearchParams(first ? this.#pairs(first) : []), variableOf(given))];
  }

  #pairs(given: AnyNode): [string, string][] {
    const node = this.#follow(given);
    if (node.type === 'ObjectExpression')
      return this.#members(node).map(({ name, value }): [string, string] => [name, this.#text(value)]);
    if (node.type === 'ArrayExpression')
      return node.elements.flatMap((pair): [string, string][] =>
        pair?.type === 'ArrayExpression' && pair.elements[0] && pair.elements[1]
          ? [[this.#text(pair.elements[0]), this.#text(pair.elements[1])]]
          : [],
      );
    return this.#parameters(node) ?? [...new URLSearchParams(this.#text(node))];
  }

  /** An address that is made by `new URL(…)`, with the parameters that were set on it. */
  #address(given: AnyNode): string | undefined {
    const node = this.#follow(given);
    if (node.type !== 'NewExpression' || nameOfCallee(node.callee) !== 'URL') return undefined;
    const [first, second] = node.arguments;
    if (!first) return undefined;
    const reference = this.#text(first);
    const base = second && this.#text(second);
    const url =
      base !== undefined && URL.canParse(reference, base)
        ? withMarks(new URL(reference, base).href)
        : `${base ?? ''}${reference}`;
    const name = variableOf(given);
    if (name === undefined || !this.#appended.has(`${name}.searchParams`)) return url;
    const [, head = '', query = ''] = /^([^?#]*)\??([^#]*)/.exec(url) ?? [];
    const all = this.#change(new URLSearchParams(query), `${name}.searchParams`);
    return `${head}?${withMarks(all.toString())}`;
  }

  request({ arguments: [address, options] }: CallExpression): ImportedRequest {
    this.#notes = [];
    if (!address)
      return fail('import-unreadable', 'fetch is called without an address', {
        hint: "fetch('https://…')",
      });
    const settings = options && this.#follow(options);
    if (settings && settings.type !== 'ObjectExpression')
      this.#notes.push('options that are not written out where fetch is called');
    const of = (name: string): AnyNode | undefined =>
      settings?.type === 'ObjectExpression' ? this.#member(settings, name) : undefined;
    if (settings?.type === 'ObjectExpression')
      for (const { name } of this.#members(settings))
        if (!['method', 'headers', 'body'].includes(name) && !IGNORED.has(name))
          this.#notes.push(`${name}: of the options`);
    const headers = this.#headers(of('headers'));
    const bodyNode = of('body');
    const body = bodyNode && this.#body(bodyNode, headers);
    const method = of('method');
    const cookies = headers.filter(([name]) => /^cookie$/i.test(name)).map(([, value]) => value);
    return {
      method: method ? this.#text(method).toUpperCase() : 'GET',
      url: markAddress(this.#text(address)),
      headers: headers.filter(([name]) => !/^cookie$/i.test(name)),
      ...(body ? { body } : {}),
      ...(cookies.length > 0 ? { cookies: cookies.join('; ') } : {}),
      notes: this.#notes,
    };
  }

  /** What a name is bound to, where that is known. */
  #follow(node: AnyNode, depth = 0): AnyNode {
    if (node.type === 'AwaitExpression' || node.type === 'ParenthesizedExpression')
      return this.#follow(node.type === 'AwaitExpression' ? node.argument : node.expression, depth + 1);
    if (node.type !== 'Identifier' || depth > 20) return node;
    const bound = this.#bound.get(node.name);
    return bound ? this.#follow(bound, depth + 1) : node;
  }

  #members(node: ObjectExpression): { name: string; value: AnyNode }[] {
    return node.properties.flatMap((property) => {
      if (property.type === 'SpreadElement') {
        const spread = this.#follow(property.argument);
        if (spread.type === 'ObjectExpression') return this.#members(spread);
        this.#notes.push('members that are spread into an object');
        return [];
      }
      const key: AnyNode = property.key;
      const name =
        key.type === 'Identifier' && !property.computed
          ? key.name
          : key.type === 'Literal'
            ? String(key.value)
            : this.#text(key);
      return [{ name, value: property.value }];
    });
  }

  #member(node: ObjectExpression, name: string): AnyNode | undefined {
    return this.#members(node).find((member) => member.name === name)?.value;
  }

  #headers(given: AnyNode | undefined): [string, string][] {
    if (!given) return [];
    let node = this.#follow(given);
    if (node.type === 'NewExpression' && node.arguments[0]) node = this.#follow(node.arguments[0]);
    if (node.type === 'ObjectExpression')
      return this.#members(node).map(({ name, value }) => [name, this.#text(value)]);
    if (node.type === 'ArrayExpression')
      return node.elements.flatMap((pair): [string, string][] =>
        pair?.type === 'ArrayExpression' && pair.elements[0] && pair.elements[1]
          ? [[this.#text(pair.elements[0]), this.#text(pair.elements[1])]]
          : [],
      );
    this.#notes.push('headers that are not written out in the snippet');
    return [];
  }

  #body(given: AnyNode, headers: [string, string][]): ImportedBody | undefined {
    const parameters = this.#parameters(textOf(given));
    if (parameters) return { type: 'form', fields: parameters };
    if (given.type === 'Identifier' && this.#appended.has(given.name))
      return { type: 'multipart', parts: this.#parts(given.name) };
    const node = this.#follow(given);
    if (node.type === 'CallExpression' && isMember(node.callee, 'JSON', 'stringify') && node.arguments[0])
      return { type: 'json', value: this.#value(node.arguments[0]) };
    const path = this.#fileRead(node);
    if (path !== undefined) return { type: 'file', path };
    if (node.type === 'Literal' || node.type === 'TemplateLiteral' || node.type === 'BinaryExpression')
      return bodyOfMessage(this.#text(node), headers);
    this.#notes.push('a body that is not written out in the snippet');
    return undefined;
  }

  /** A value of JSON. What is not known is left open. */
  #value(given: AnyNode): Value {
    const node = this.#follow(given);
    switch (node.type) {
      case 'Literal':
        // The number as it is written, where JSON would write it so.
        return typeof node.value === 'number'
          ? numberAsWritten(node.raw ?? '', node.value)
          : typeof node.value === 'string' || typeof node.value === 'boolean'
            ? node.value
            : null;
      case 'UnaryExpression':
        return node.operator === '-' &&
          node.argument.type === 'Literal' &&
          typeof node.argument.value === 'number'
          ? numberAsWritten(`-${node.argument.raw ?? ''}`, -node.argument.value)
          : this.#text(node);
      case 'ArrayExpression':
        return node.elements.map((item) => (item ? this.#value(item) : null));
      case 'ObjectExpression':
        return objectOf(this.#members(node).map(({ name, value }) => [name, this.#value(value)]));
      default:
        return this.#text(node);
    }
  }

  /** A text; what is not known in it is left open under the name it has in the snippet. */
  #text(written: AnyNode): string {
    const given = textOf(written);
    const parameters = this.#parameters(given);
    if (parameters) return queryText(parameters);
    const address = this.#address(given);
    if (address !== undefined) return address;
    const node = this.#follow(given);
    switch (node.type) {
      case 'Literal':
        return String(node.value);
      case 'TemplateLiteral':
        return node.quasis
          .map(
            ({ value }, i) =>
              (value.cooked ?? value.raw) + (node.expressions[i] ? this.#text(node.expressions[i]) : ''),
          )
          .join('');
      case 'BinaryExpression':
        return node.operator === '+' ? this.#text(node.left) + this.#text(node.right) : variable('value');
      case 'Identifier':
        return variable(nameOfPlaceholder(node.name));
      case 'MemberExpression':
        // process.env.KILN_TOKEN keeps the name of the variable.
        if (node.property.type === 'Identifier')
          return variable(
            isMember(node.object, 'process', 'env')
              ? node.property.name
              : nameOfPlaceholder(node.property.name),
          );
        return variable('value');
      case 'CallExpression': {
        const [argument] = node.arguments;
        return node.callee.type === 'Identifier' &&
          /^(?:encodeURIComponent|String|encodeURI)$/.test(node.callee.name) &&
          argument
          ? this.#text(argument)
          : variable('value');
      }
      case 'NewExpression':
        return node.arguments[0] ? this.#text(node.arguments[0]) : variable('value');
      default:
        return variable('value');
    }
  }
}
