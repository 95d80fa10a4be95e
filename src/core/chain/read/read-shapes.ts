import type { Description } from '../../contract/description.ts';
import { LINE, pointerPart, setOwn } from '../../contract/document.ts';
import type { Schema } from '../../contract/json-schema.ts';
import { schemaOfData, type Shapes, shapesOf } from '../../contract/shapes.ts';
import { nearest } from '../../language/nearest.ts';
import { isNumberText } from '../../language/numbers.ts';
import type { FieldReader } from '../fields/fields.ts';
import type { FoundSchema } from '../fields/schema-names.ts';
import type { Project } from '../project.ts';
import type { Change } from '../source/source-problem.ts';
import { SourceFile, type SourceNode } from '../source/source-file.ts';
import type { OtherFiles } from './step-reader.ts';

/** Reads `shapes`. What in a schema can't be used as it is written is warned about. */
export function readShapes(fields: FieldReader, node: SourceNode | undefined, files?: OtherFiles): Shapes {
  const { findings } = fields;
  const { file } = findings;
  const data = node?.type === 'map' ? dataOf(file, node) : {};
  const shapes = shapesOf(data, file.path, (path) => schemaInFile(path, files));
  for (const { key, value } of node?.type === 'map' ? node.entries : []) {
    if (!fields.name(key)) continue;
    if (value.type === 'scalar' && !/\.(?:json|ya?ml)$/.test(value.text)) {
      findings.problem(
        value,
        'wrong-form',
        `the shape ${key.text} is a schema, or the path of a file with one`,
        {
          example: `${key.text}: { type: object }`,
        },
      );
      continue;
    }
    if (value.type === 'scalar' && files && !files.exists(value.text))
      findings.problem(value, 'file-not-found', `the file ${value.text} does not exist`);
    for (const { message, at } of shapes.find(key.text)?.warnings ?? [])
      if (at.file === file.path) {
        const start = lineStart(file.text, at.line);
        const change = keywordChange(file.text, start, message);
        findings.warn(change?.range[0] ?? start, 'description-flawed', message, change && { change });
      } else findings.warn(key, 'description-flawed', `${message} (${at.file}:${at.line})`);
  }
  return shapes;
}

/** The change by which a word behind a place becomes the keyword that it was meant as. */
function keywordChange(text: string, start: number, message: string): Change | undefined {
  const [, word, near] =
    /^(\S+) is no (?:keyword|type|schema)\b.* the nearest is (\w+|\{ type: \w+ \})(?:;|$)/.exec(message) ??
    [];
  if (word === undefined) return undefined;
  // What is said of a value may have the line of the keyword, of the value, or of what both stand in.
  const [after, before] = [text.indexOf(word, start), text.lastIndexOf(word, start)];
  const at = after < 0 || (before >= 0 && start - before < after - start) ? before : after;
  return at < 0 ? undefined : { range: [at, at + word.length], text: near! };
}

/** Where what a line says begins; lines count from 1. */
function lineStart(text: string, line: number): number {
  let at = 0;
  for (let left = line; left > 1; left--) at = text.indexOf('\n', at) + 1;
  return at + /^[ -]*/.exec(text.slice(at, at + 200))![0].length;
}

/** A file of JSON Schema; undefined if it is not there, or holds no object. */
function schemaInFile(path: string, files: OtherFiles | undefined): Schema | undefined {
  const read = files?.read(path);
  if (!read) return undefined;
  const file = new SourceFile(read.path, read.text);
  return file.isBroken || file.root.type !== 'map'
    ? undefined
    : schemaOfData(dataOf(file, file.root), read.path);
}

/** Where a schema may be found by its name. */
export interface SchemaPlaces {
  /** The nearest first. */
  readonly shapes: readonly Shapes[];
  readonly files?: OtherFiles | undefined;
  /** Descriptions by the names of their services. */
  readonly described?: () => ReadonlyMap<string, Description>;
}

/** The descriptions of a project, by the names of their services. */
export function describedSchemas({
  descriptions,
  services,
}: Project): () => ReadonlyMap<string, Description> {
  return () =>
    new Map(
      [...services.keys()].flatMap((name) => {
        const description = descriptions?.of(name);
        return description ? [[name, description] as const] : [];
      }),
    );
}

/** The schema that a name of `fits(value, NAME)` means, or what is wrong with it. */
export function schemaNamed(name: string, { shapes, files, described }: SchemaPlaces): FoundSchema {
  for (const one of shapes) {
    const found = one.find(name);
    if (found) return { schema: found };
  }
  if (/\.(?:json|ya?ml)$/.test(name)) {
    const schema = schemaInFile(name, files);
    return schema ? { schema } : { message: `there is no file ${name} with a schema` };
  }
  const all = described?.() ?? new Map<string, Description>();
  const [, service, part] = /^(\w+)#(.+)$/.exec(name) ?? [];
  const wanted = part ?? name;
  const having = [...all].filter(
    ([own, { schemas }]) => (service === undefined || own === service) && schemas.includes(wanted),
  );
  if (having.length === 1) {
    const pointer = `/components/schemas/${pointerPart(wanted)}`;
    return { schema: having[0]![1].schema({ file: '', pointer }, 'response') };
  }
  if (having.length > 1)
    return {
      message: `${having.map(([own]) => own).join(' and ')} have a schema ${name}`,
      instead: `${having[0]![0]}#${name}`,
    };
  const names = [
    ...shapes.flatMap((one) => one.names),
    ...[...all.values()].flatMap(({ schemas }) => schemas),
  ];
  const near = nearest(wanted, names);
  return {
    message: `there is no schema ${name}`,
    ...(near === undefined ? {} : { instead: near }),
  };
}

/** A part of a file as plain data, as YAML's core schema reads it, each object with its line. */
function dataOf(file: SourceFile, node: SourceNode): unknown {
  switch (node.type) {
    case 'empty':
      return null;
    case 'list':
      return node.items.map((item) => dataOf(file, item));
    case 'map': {
      const data: Record<string, unknown> = { [LINE]: file.place(node.range[0]).line };
      for (const { key, value } of node.entries)
        if (key.text !== LINE) setOwn(data, key.text, dataOf(file, value));
      return data;
    }
    case 'scalar': {
      const { text, quoted } = node;
      if (quoted) return text;
      if (/^(?:null|Null|NULL|~|)$/.test(text)) return null;
      if (/^(?:true|True|TRUE)$/.test(text)) return true;
      if (/^(?:false|False|FALSE)$/.test(text)) return false;
      return isNumberText(text) ? Number(text) : text;
    }
  }
}
