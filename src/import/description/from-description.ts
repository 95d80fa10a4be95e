import { dirname, relative, resolve } from 'node:path';
import type { Description, OperationHead } from '../../core/contract/description.ts';
import { partsOf } from '../../core/contract/find-operation.ts';
import { findOperations } from '../../core/contract/operation-search.ts';
import type { Project } from '../../core/chain/project.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { openDescription } from '../../io/description/open-description.ts';
import type { ChainDraft } from '../draft.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { DescriptionDrafts } from './description-drafts.ts';

/**
 * The steps for operations of a description; for all of them a chain for each tag. `words` are operation ids, or `METHOD
 * /path`. Throws `file-not-found`, `not-a-description`, `import-unreadable`.
 */
export function importOpenApi(
  path: string,
  words: readonly string[],
  project: Project,
  folder: string,
): readonly ChainDraft[] {
  const description = openDescription(path, path, isInside(folder, path) ? folder : dirname(resolve(path)));
  const heads =
    words.length > 0
      ? words.map((word) => operationNamed(description, word))
      : description.operations.filter(({ incoming }) => incoming === undefined);
  const maker = new DescriptionDrafts(description, heads, project, {
    path: relativePath(folder, path),
  });
  if (words.length > 0)
    return [
      { title: description.title, word: nameOfPlaceholder(description.title), draft: maker.draft(heads) },
    ];
  const byTag = new Map<string, OperationHead[]>();
  for (const head of heads) {
    const tag = head.tags[0] ?? partsOf(head.path).find((part) => !/^v\d+$|\{/.test(part)) ?? 'service';
    byTag.set(tag, [...(byTag.get(tag) ?? []), head]);
  }
  return [...byTag].map(([tag, own]) => ({
    title: tag,
    word: nameOfPlaceholder(tag).replaceAll('_', '-'),
    draft: maker.draft(own),
  }));
}

function operationNamed(description: Description, word: string): OperationHead {
  const found = findOperations(description, [word]);
  const only = found.length === 1 ? found[0] : found.find(({ path }) => path === word);
  if (only && found.filter(({ path }) => path === word).length <= 1) return only;
  const ids = description.operations.flatMap(({ id }) => id ?? []);
  return fail(
    'import-unreadable',
    found.length === 0
      ? `${description.file} has no operation ${word}`
      : `${word} stands in ${found.length} operations`,
    {
      hint:
        found.length === 0
          ? (nearest(word, ids) ?? `batharon calls ${description.file}`)
          : `batharon calls ${description.file} ${word} lists them; an id or 'GET /path' names one`,
    },
  );
}

function isInside(folder: string, path: string): boolean {
  return !relative(folder, resolve(path)).startsWith('..');
}

function relativePath(folder: string, path: string): string {
  return relative(folder, resolve(path)).replaceAll('\\', '/');
}
