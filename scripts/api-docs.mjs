// Writes the reference of docs/api.md from the doc comments of src/api/types.ts and src/api/index.ts. With --check it only
// says whether the page is as it should be.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';
import { format, resolveConfig } from 'prettier';

const root = fileURLToPath(new URL('..', import.meta.url));
const PAGE = join(root, 'docs/api.md');
const MARK = '## Reference\n';

function commentOf(node, source) {
  const [comment] = node.jsDoc ?? [];
  if (!comment) throw new Error(`${node.name.getText(source)} has no doc comment`);
  return ts.getTextOfJSDocComment(comment.comment).replace(/\s+/g, ' ');
}

function sectionOf(node, source) {
  const name = node.name.getText(source);
  const heritage = (node.heritageClauses ?? []).flatMap(({ types }) =>
    types.map((one) => one.getText(source)),
  );
  const about = commentOf(node, source);
  const lines = [`### ${name}`, '', about, ''];
  if (heritage.length > 0) lines.push(`It is also ${heritage.map((one) => `\`${one}\``).join(' and ')}.`, '');
  for (const member of node.members) {
    if (ts.isConstructorDeclaration(member)) continue;
    const [comment] = member.jsDoc ?? [];
    const signature = member
      .getText(source)
      .replace(/^\/\*\*[\s\S]*?\*\/\s*/, '')
      .replace(/^readonly /, '')
      .replace(/\s+/g, ' ')
      .replace(/;$/, '');
    const said = comment ? ts.getTextOfJSDocComment(comment.comment).replace(/\s+/g, ' ') : '';
    lines.push(`- \`${signature}\`${said === '' ? '' : `: ${said}`}`);
  }
  return [...lines, ''].join('\n');
}

function declarations(path, wanted) {
  const source = ts.createSourceFile(
    path,
    readFileSync(join(root, path), 'utf8'),
    ts.ScriptTarget.Latest,
    true,
  );
  return source.statements
    .filter((one) => one.modifiers?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword) && wanted(one))
    .map((one) => ({ node: one, source }));
}

const interfaces = declarations('src/api/types.ts', ts.isInterfaceDeclaration);
const index = declarations(
  'src/api/index.ts',
  (one) => ts.isFunctionDeclaration(one) || ts.isClassDeclaration(one),
);
const opening = index.find(({ node }) => ts.isFunctionDeclaration(node));
const error = index.find(({ node }) => ts.isClassDeclaration(node));
const order = [
  'OpenedProject',
  'Run',
  'RunResult',
  'StepResult',
  'OpenOptions',
  'RunOptions',
  'ChainInfo',
  'StepInfo',
  'Finding',
  'Failure',
  'Place',
];
const rank = ({ node }) => order.indexOf(node.name.text) + 1 || order.length + 1;
const reference = [
  `### openProject(folder?, options?)\n\n${commentOf(opening.node, opening.source)}\n`,
  ...interfaces.sort((a, b) => rank(a) - rank(b)).map(({ node, source }) => sectionOf(node, source)),
  sectionOf(error.node, error.source),
].join('\n');

const before = readFileSync(PAGE, 'utf8');
const at = before.indexOf(MARK) + MARK.length;
const page = await format(`${before.slice(0, at)}\n${reference}`, {
  ...(await resolveConfig(PAGE)),
  parser: 'markdown',
});
if (process.argv.includes('--check')) process.exitCode = page === before ? 0 : 1;
else writeFileSync(PAGE, page);
