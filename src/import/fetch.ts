import { type AnyNode, type CallExpression, type ObjectExpression, parse } from 'acorn';
import { parseJson } from '../core/language/json.ts';
import { objectOf, type Value } from '../core/language/values.ts';
import { fail } from '../core/problems.ts';
import { bodyOf } from './http-message.ts';
import { markAddress, nameOf, variable } from './placeholders.ts';
import type { ImportedBody, ImportedPart, ImportedRequest } from './request.ts';

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
 * Reads a call of fetch in JavaScript, as documentation shows it, into the request that it would send. The snippet is
 * read as data and never carried out: names that it defines with plain values are followed, all others are left open.
 * Throws `import-unreadable`.
 */
export function importFetch(source: string): ImportedRequest {
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
      instead: "fetch('https://…', { … })",
    });
  }
  const reader = new Reader(program);
  const call = reader.calls.find(({ callee }) =>
    callee.type === 'Identifier'
      ? callee.name === 'fetch'
      : callee.type === 'MemberExpression' &&
        !callee.computed &&
        callee.property.type === 'Identifier' &&
        callee.property.name === 'fetch',
  );
  if (!call)
    return fail('import-unreadable', 'nothing in this snippet calls fetch', {
      instead: "fetch('https://…', { … })",
    });
  return reader.request(call);
}

class Reader {
  readonly calls: CallExpression[] = [];
  readonly #bound = new Map<string, AnyNode>();
  /** Parts that were appended to a form, by the name of its variable. */
  readonly #appended = new Map<string, ImportedPart[]>();
  readonly #notes: string[] = [];

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

  /** `form.append('name', value)`. */
  #append({ callee, arguments: [name, value] }: CallExpression): void {
    if (
      callee.type !== 'MemberExpression' ||
      callee.object.type !== 'Identifier' ||
      callee.property.type !== 'Identifier'
    )
      return;
    if (callee.property.name !== 'append' || !name || !value) return;
    const { name: form } = callee.object;
    const part = { name: this.#text(name), value: this.#text(value) };
    this.#appended.set(form, [...(this.#appended.get(form) ?? []), part]);
  }

  request({ arguments: [address, options] }: CallExpression): ImportedRequest {
    if (!address)
      return fail('import-unreadable', 'fetch is called without an address', {
        instead: "fetch('https://…')",
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
    if (given.type === 'Identifier' && this.#appended.has(given.name))
      return { type: 'multipart', parts: this.#appended.get(given.name)! };
    const node = this.#follow(given);
    if (node.type === 'CallExpression' && isMember(node.callee, 'JSON', 'stringify') && node.arguments[0])
      return { type: 'json', value: this.#value(node.arguments[0]) };
    if (
      node.type === 'NewExpression' &&
      node.callee.type === 'Identifier' &&
      node.callee.name === 'URLSearchParams' &&
      node.arguments[0]
    ) {
      const fields = this.#follow(node.arguments[0]);
      if (fields.type === 'ObjectExpression')
        return {
          type: 'form',
          fields: this.#members(fields).map(({ name, value }) => [name, this.#text(value)]),
        };
      return { type: 'form', fields: [...new URLSearchParams(this.#text(fields))] };
    }
    if (node.type === 'Literal' || node.type === 'TemplateLiteral' || node.type === 'BinaryExpression')
      return bodyOf(this.#text(node), headers);
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
  #text(given: AnyNode): string {
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
        return variable(nameOf(node.name));
      case 'MemberExpression':
        // process.env.KILN_TOKEN keeps the name of the variable.
        if (node.property.type === 'Identifier')
          return variable(
            isMember(node.object, 'process', 'env') ? node.property.name : nameOf(node.property.name),
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

function isMember(node: AnyNode, object: string, property: string): boolean {
  return (
    node.type === 'MemberExpression' &&
    node.object.type === 'Identifier' &&
    node.object.name === object &&
    node.property.type === 'Identifier' &&
    node.property.name === property
  );
}

function numberAsWritten(raw: string, value: number): Value {
  return /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(raw) ? parseJson(raw) : value;
}
