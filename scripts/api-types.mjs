// Writes the types of the package: the interfaces of src/api/types.ts as they stand, with the events spelt out, since the
// package brings no other types that these could be derived from.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const PUBLIC = 'src/api/types.ts';
const EVENTS = 'src/core/events.ts';

/** The names of the reports, from their table. */
function reportNames(root) {
  const path = join(root, 'src/report/index.ts');
  const source = ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true);
  const [table] = source.statements.flatMap((one) =>
    ts.isVariableStatement(one)
      ? one.declarationList.declarations.filter(({ name }) => name.getText() === 'REPORTS')
      : [],
  );
  let { initializer } = table;
  while (!ts.isObjectLiteralExpression(initializer)) initializer = initializer.expression;
  return initializer.properties.map(({ name }) => name.getText());
}

/** The declarations of the package as one text. */
export function apiTypes(root) {
  const { config } = ts.readConfigFile(join(root, 'tsconfig.json'), (path) => readFileSync(path, 'utf8'));
  const { options } = ts.convertCompilerOptionsFromJson(config.compilerOptions, root);
  const program = ts.createProgram([join(root, EVENTS)], options);
  const checker = program.getTypeChecker();
  const source = program.getSourceFile(join(root, EVENTS));
  const [alias] = source.statements.filter(
    (one) => ts.isTypeAliasDeclaration(one) && one.name.text === 'RunEvent',
  );
  const event = checker.getTypeAtLocation(alias.name);
  const flags = ts.TypeFormatFlags.NoTruncation | ts.TypeFormatFlags.InTypeAlias;
  const members = event.types.map((one) => checker.typeToString(one, undefined, flags));
  const interfaces = readFileSync(join(root, PUBLIC), 'utf8').replace(/^import .*\n+/gm, '');
  const index = readFileSync(join(root, 'src/api/index.ts'), 'utf8');
  const commentOf = (name) =>
    new RegExp(`(/\\*\\*(?:(?!\\*/)[\\s\\S])*\\*/)\\nexport (?:async function|class) ${name}\\b`).exec(
      index,
    )[1];
  return `/** An event of a run; docs/events.md describes each. */
export type RunEvent =
${members.map((one) => `  | ${one}`).join('\n')};

/** The kinds of report. */
export type ReportName = ${reportNames(root)
    .map((name) => `'${name}'`)
    .join(' | ')};

${interfaces}
${commentOf('BatharonError')}
export class BatharonError extends Error {
  /** The code that \`batharon explain\` knows. */
  readonly code: string;
  /** What to do about it. */
  readonly hint: string | undefined;
  /** Where it is written. */
  readonly place: Place | undefined;
}

${commentOf('openProject')}
export function openProject(folder?: string, options?: OpenOptions): Promise<OpenedProject>;
`;
}
