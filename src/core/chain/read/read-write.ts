import type { StaticScope } from '../../language/scope.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { RowWrite, Template, Typed } from '../model.ts';
import type { StepReader } from './step-reader.ts';
import { entryOf, type MapNode, type ScalarNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { writeKeys } from '../keys/step-keys.ts';
import { checkStructure } from '../source/structure.ts';

/** Reads `write` of a step: a row for a file of rows. */
export function readWrite(reader: StepReader, step: MapNode, scope: StaticScope): RowWrite | undefined {
  const { fields } = reader;
  const { findings } = fields;
  const entry = entryOf(step, 'write');
  if (entry?.value.type !== 'map') return undefined; // said by the structure of the step
  const node = entry.value;
  checkStructure(findings, node, writeKeys, 'write');
  const toNode = valueOf(node, 'to');
  const to = toNode && fields.template(toNode, scope);
  if (to && isJsonList(to))
    findings.problem(
      toNode,
      'wrong-form',
      'rows are not written into a JSON list, which would be another file with each of them',
      'a name that ends in .jsonl, for a row of JSON on each line; or in .csv',
    );
  const rowNode = valueOf(node, 'row');
  const row = rowNode && fields.typed(rowNode, scope);
  if (row && !mayBeRow(row)) {
    if (rowNode.type !== 'scalar') return undefined; // said by the structure
    findings.problem(
      rowNode,
      'wrong-form',
      'a row is a map of columns and values',
      'row:\n  piece: ${piece}',
    );
    return undefined;
  }
  const columns = row?.type === 'object' ? row.members.map(([name]) => name) : undefined;
  if (row?.type === 'object')
    for (const [name, value] of row.members)
      if (isSecret(value))
        findings.warn(
          rowNode!,
          'secret-not-here',
          `the column ${name} would hold a secret; a mask is written in its place`,
          'a column that holds no secret',
        );
  const onePer = columnsOf(valueOf(node, 'one-row-per'));
  for (const name of columns ? onePer : []) {
    if (columns!.includes(name.text)) continue;
    const inserted = /^\$\{\s*(?:\w+\.)*(\w+)\s*\}$|^(?:\w+\.|\$\.)+(\w+)$/
      .exec(name.text)
      ?.slice(1)
      .find(Boolean);
    if (inserted !== undefined && columns!.includes(inserted)) {
      findings.problem(
        name,
        'expression-in-text',
        'a column is called by its name here, and nothing is inserted',
        findings.becomes(name, inserted),
      );
      continue;
    }
    const near = nearest(name.text, columns!);
    findings.problem(
      name,
      'unknown-name',
      `the row has no column ${name.text}`,
      findings.nearest(name, near, `one of ${nameList(columns!)}`),
    );
  }
  if (to && columns && rowNode?.type === 'map') missingColumns(reader, to, rowNode);
  if (!to || !row) return undefined;
  return { to, row, onePer: onePer.map(({ text }) => text), at: findings.place(entry.key) };
}

/** A row fits the columns of the file that is there, unless a step above makes it. */
function missingColumns({ fields, files }: StepReader, { parts }: Template, row: MapNode): void {
  const [path] = parts;
  if (!files || parts.length !== 1 || typeof path !== 'string' || /\.(?:jsonl|ndjson)$/i.test(path)) return;
  if (files.made.has('*') || files.made.has(path)) return;
  const columns = files.columns(path);
  for (const { key } of columns ? row.entries : []) {
    if (columns!.includes(key.text)) continue;
    const near = nearest(key.text, columns!);
    fields.findings.problem(
      key,
      'row-not-fitting',
      `${path} has no column ${key.text}`,
      near ?? `its columns are ${nameList(columns!)}`,
    );
  }
}

function isJsonList({ parts }: Template): boolean {
  const last = parts.at(-1);
  return typeof last === 'string' && /\.json$/i.test(last);
}

function mayBeRow(row: Typed): boolean {
  return row.type === 'object' || row.type === 'insertion';
}

function isSecret(value: Typed): boolean {
  switch (value.type) {
    case 'insertion':
      return value.insertion.expression.secret;
    case 'template':
      return value.template.parts.some((part) => typeof part === 'object' && part.expression.secret);
    case 'list':
      return value.items.some(isSecret);
    case 'object':
      return value.members.some(([, member]) => isSecret(member));
    default:
      return false;
  }
}

function columnsOf(node: SourceNode | undefined): ScalarNode[] {
  if (node?.type === 'scalar') return [node];
  return node?.type === 'list' ? node.items.filter((item) => item.type === 'scalar') : [];
}
