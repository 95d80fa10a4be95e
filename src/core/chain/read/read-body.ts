import { isMap } from 'yaml';
import type { StaticScope } from '../../language/scope.ts';
import { warnEncodedTwice } from '../fields/encoded-twice.ts';
import { FieldReader } from '../fields/fields.ts';
import { Findings } from '../source/findings.ts';
import { fileKeys, partKeys } from '../keys/call-keys.ts';
import {
  insertionsOf,
  type CallBody,
  type Parameter,
  type Part,
  type Template,
  type Typed,
} from '../model.ts';
import type { StepReader } from './step-reader.ts';
import { optional } from '../optional.ts';
import { plainSecret } from '../fields/plain-secrets.ts';
import {
  entryOf,
  type MapEntry,
  type MapNode,
  SourceFile,
  type SourceNode,
  valueOf,
} from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';
import { jsonMeantBy, mapMeantBy } from '../source/repair-value.ts';
import { replacedBy } from '../source/changes.ts';
import { parseYaml } from '../source/parse-yaml.ts';

const BODIES = ['json', 'form', 'multipart', 'text', 'xml', 'bytes', 'file'] as const;

/** Reads the body of a call; it has at most one. */
export function readRequestBody(reader: StepReader, node: MapNode, scope: StaticScope): CallBody | undefined {
  const { fields } = reader;
  const given = BODIES.filter((name) => entryOf(node, name));
  if (given.length > 1) {
    fields.findings.problem(
      entryOf(node, given[1]!)!.key,
      'wrong-form',
      `a request has one body, and this one has ${given.join(' and ')}`,
      'one of them',
    );
  }
  const type = given[0];
  const entry = type && entryOf(node, type);
  if (!entry) return undefined;
  const at = fields.findings.place(entry.key);
  switch (type) {
    case 'json': {
      const value = readJson(reader, entry.value, scope);
      return value && { type, value, at };
    }
    case 'form':
      return { type, fields: readParameters(reader, entry.value, scope, true), at };
    case 'multipart':
      return { type, parts: readParts(reader, entry.value, scope), at };
    case 'file': {
      const { value } = entry;
      if (value.type === 'map') checkStructure(fields.findings, value, fileKeys, 'a file');
      const node = value.type === 'map' ? valueOf(value, 'path') : value;
      const path = node?.type === 'scalar' ? fields.template(node, scope) : undefined;
      if (path) missingFile(reader, node!, path);
      const bound = (name: 'from' | 'to') => {
        const one = value.type === 'map' ? valueOf(value, name) : undefined;
        return one && fields.amount(one, scope, 0);
      };
      return path && { type, path, ...optional('from', bound('from')), ...optional('to', bound('to')), at };
    }
    case 'bytes': {
      const value = entry.value.type === 'scalar' ? fields.expression(entry.value, scope) : undefined;
      return value && { type, value, at };
    }
    default: {
      const text = readText(reader, entry.value, scope);
      return text && { type, text, at };
    }
  }
}

/** A text as it stands, or `from:` a file of its own, in which insertions hold as well. */
function readText(reader: StepReader, node: SourceNode, scope: StaticScope): Template | undefined {
  if (node.type === 'scalar') return reader.fields.template(node, scope);
  const from = node.type === 'map' && node.entries.length === 1 ? valueOf(node, 'from') : undefined;
  if (from?.type !== 'scalar') return reader.fields.template(node, scope);
  return ofFile(reader, from.text, from, (own, file) => {
    const { text } = file;
    const range = [0, text.length] as const;
    const whole = {
      type: 'scalar',
      text,
      quoted: true,
      flow: false,
      range,
      offset: (at: number) => at,
    } as const;
    return own.template(whole, scope, { hint: false });
  });
}

/** A file that is sent has to be there, unless a step above makes it. */
function missingFile({ fields, files }: StepReader, node: SourceNode, { parts }: Template): void {
  const [path] = parts;
  if (!files || parts.length !== 1 || typeof path !== 'string') return;
  if (files.made.has('*') || files.made.has(path) || files.exists(path)) return;
  fields.findings.problem(
    node,
    'file-not-found',
    `the file ${path} does not exist`,
    'a path begins at the folder of the chain file',
  );
}

/** A body of JSON as it stands, or `from:` a file of its own. */
function readJson(reader: StepReader, node: SourceNode, scope: StaticScope): Typed | undefined {
  const only = node.type === 'map' && node.entries.length === 1 ? entryOf(node, 'from') : undefined;
  const from = only && !only.key.quoted ? only.value : undefined;
  if (from?.type === 'scalar' && !from.quoted) return readJsonFile(reader, from.text, from, scope);
  jsonInText(reader, node);
  const value = reader.fields.typed(node, scope);
  if (value) secretsInside(reader, node, value);
  return value;
}

/** Pasted JSON behind `json: |`, or in quotes: a text that would be sent as one quoted text. */
function jsonInText({ fields }: StepReader, node: SourceNode): void {
  if (node.type !== 'scalar') return;
  const { file } = fields.findings;
  if (!node.quoted) {
    const map = /^[A-Za-z_][\w-]*\s*=(?![=~])\s*\S/.test(node.text)
      ? mapMeantBy('json', node.text)
      : undefined;
    if (map !== undefined)
      fields.findings.warn(
        node,
        'json-in-text',
        'this is one text, so it is sent as a JSON string, not as the map it shows',
        { hint: 'a key is followed by a colon, not by =', change: replacedBy(node, map) },
      );
    return;
  }
  const bar = /^[|>][^\n]*/.exec(file.text.slice(...node.range))?.[0];
  if (bar !== undefined && /^(?:[ ]*[\w-]+:(?: .*)?\n?|[ ]*- .*\n?)+$/.test(node.text)) {
    fields.findings.warn(
      node,
      'json-in-text',
      'this is one text, so it is sent as a JSON string, not as the map it shows',
      {
        hint: 'the same without |',
        change: { range: [node.range[0], node.range[0] + bar.length], text: '' },
      },
    );
    return;
  }
  if (!/^\s*[{[]/.test(node.text)) return;
  const isMap = bar === undefined && isMapInBraces(node.text);
  if (!isMap && !isObjectOrList(node.text)) return;
  const meant = isMap ? node.text : bar === undefined ? jsonMeantBy(node.text) : undefined;
  fields.findings.warn(
    node,
    'json-in-text',
    'this is one text, so it is sent as a JSON string, not as the object or list it shows',
    {
      hint: 'the same without | or quotes: JSON is YAML; or text: with Content-Type: application/json',
      change: meant === undefined ? undefined : replacedBy(node, meant),
    },
  );
}

/** Whether a text is JSON, with a value in the place of each insertion. */
function isObjectOrList(text: string): boolean {
  try {
    return typeof JSON.parse(text.replace(/"\$\{[^}]*\}"|\$\{[^}]*\}/g, '0')) === 'object';
  } catch {
    return false;
  }
}

/** Whether a text is a map in braces, of which each key has a value. */
function isMapInBraces(text: string): boolean {
  const { contents, errors } = parseYaml(text, { logLevel: 'silent' });
  return (
    errors.length === 0 &&
    isMap(contents) &&
    contents.items.length > 0 &&
    contents.items.every(({ value }) => value !== null)
  );
}

function readJsonFile(
  reader: StepReader,
  path: string,
  node: SourceNode,
  scope: StaticScope,
): Typed | undefined {
  return ofFile(reader, path, node, (own, file) => {
    const value = own.typed(file.root, scope);
    if (value) secretsInside({ ...reader, fields: own }, file.root, value);
    return value;
  });
}

/** Reads a body out of a file of its own; what is wrong with it is said of that file. */
function ofFile<T>(
  reader: StepReader,
  path: string,
  node: SourceNode,
  read: (own: FieldReader, file: SourceFile) => T | undefined,
): T | undefined {
  const { findings } = reader.fields;
  const text = reader.files?.read(path);
  if (text === undefined) {
    findings.problem(
      node,
      'file-not-found',
      `the body is to come from the file ${path}, which does not exist`,
      'a path begins at the folder of the chain file; json: { "from": … } in quotes is a member named from',
    );
    return undefined;
  }
  const file = new SourceFile(text.path, text.text);
  const own = new FieldReader(new Findings(file));
  own.findings.notSecret = reader.project.mask.never;
  const value = read(own, file);
  own.used.forEach((name) => reader.fields.used.add(name));
  own.secrets.forEach((name) => reader.fields.secrets.add(name));
  reader.files?.found.push(...own.findings.sorted().map((finding) => ({ file, finding })));
  return value;
}

function secretsInside(reader: StepReader, node: SourceNode, typed: Typed): void {
  if (node.type === 'map' && typed.type === 'object') {
    for (const [i, { key, value }] of node.entries.entries()) {
      if (value.type === 'scalar') plainSecret(reader.fields.findings, value, key.text);
      else secretsInside(reader, value, typed.members[i]![1]);
    }
  }
}

/** Names and values of a query or a form; `secrets`: secrets may be among the members of a whole `${…}`. */
export function readParameters(
  { fields }: Pick<StepReader, 'fields'>,
  node: SourceNode | undefined,
  scope: StaticScope,
  secrets = false,
): Parameter[] {
  if (node?.type === 'scalar') {
    const insertion = fields.members(node, scope, secrets);
    return insertion
      ? [{ name: '', all: true, value: { type: 'insertion', insertion }, at: fields.findings.place(node) }]
      : [];
  }
  if (node?.type !== 'map') return [];
  return node.entries.flatMap(({ key, value }) => {
    if (value.type === 'map') {
      fields.findings.problem(
        value,
        'wrong-form',
        'a parameter is one value or a list of them',
        '${json(x)} sends an object as JSON',
      );
      return [];
    }
    const typed = fields.typed(value, scope, true);
    if (!typed) return [];
    if (value.type === 'scalar') plainSecret(fields.findings, value, key.text);
    warnEncodedTwice(fields.findings, insertionsOf(typed));
    return [{ name: key.text, value: typed, at: fields.findings.place(key) }];
  });
}

function readParts(reader: StepReader, node: SourceNode, scope: StaticScope): Part[] {
  if (node.type !== 'map') return [];
  return node.entries.flatMap((entry) =>
    entry.value.type === 'list'
      ? entry.value.items.flatMap((value) => readPart(reader, { ...entry, value }, scope))
      : readPart(reader, entry, scope),
  );
}

function readPart(reader: StepReader, { key, value }: MapEntry, scope: StaticScope): Part[] {
  const { fields } = reader;
  const at = fields.findings.place(key);
  if (value.type !== 'map') {
    const text = fields.typed(value, scope, true);
    if (value.type === 'scalar') plainSecret(fields.findings, value, key.text);
    if (
      value.type === 'scalar' &&
      !value.quoted &&
      /\.[A-Za-z]\w{1,4}$/.test(value.text) &&
      reader.files?.exists(value.text)
    )
      fields.findings.warn(
        value,
        'file-in-text',
        `this part is the text ${value.text}, not the file of that name`,
        {
          hint: `{ file: ${value.text} }, or quotes if the text is meant`,
          change: replacedBy(value, `{ file: ${value.text} }`),
        },
      );
    return text ? [{ name: key.text, content: { text }, at }] : [];
  }
  const before = fields.findings.all.length;
  checkStructure(fields.findings, value, partKeys, 'a part');
  if (fields.findings.all.length > before) return [];
  const template = (name: string) => {
    const one = valueOf(value, name);
    return one?.type === 'scalar' ? fields.template(one, scope) : undefined;
  };
  const file = template('file');
  if (file) missingFile(reader, valueOf(value, 'file')!, file);
  const textNode = valueOf(value, 'text');
  const text = textNode && fields.typed(textNode, scope, true);
  const jsonNode = valueOf(value, 'json');
  const json = jsonNode && fields.typed(jsonNode, scope);
  const bytesNode = valueOf(value, 'bytes');
  const bytes = bytesNode?.type === 'scalar' ? fields.expression(bytesNode, scope) : undefined;
  const given = [
    ...(file ? [{ file }] : []),
    ...(text ? [{ text }] : []),
    ...(json ? [{ json }] : []),
    ...(bytes ? [{ bytes }] : []),
  ];
  const [content] = given;
  if (!content || given.length > 1) {
    fields.findings.problem(
      key,
      'wrong-form',
      given.length > 1
        ? `the part ${key.text} is one thing, and here ${given.map((one) => Object.keys(one)[0]).join(' and ')}`
        : `the part ${key.text} is neither a file nor a text`,
      'file: PATH, text: …, json: … or bytes: …',
    );
    return [];
  }
  return [
    {
      name: key.text,
      content,
      ...optional('contentType', template('type')),
      ...optional('filename', template('filename')),
      at,
    },
  ];
}
