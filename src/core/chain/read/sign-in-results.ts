import { namesIn } from '../../language/tree.ts';
import type { Chain } from '../model.ts';
import type { Project, SignInChain } from '../project.ts';
import type { Finding } from '../source/finding.ts';

/** Names that the headers of a sign-in may use besides the results of its chain. */
const GIVEN = ['secret', 'services', 'environment', 'run'];

/** What the headers of a credential of kind chain use that its chain does not return. */
export function checkSignInResults(
  { file, headers }: SignInChain,
  chain: Chain,
  project: Project,
): Finding[] {
  const results = new Set(chain.results.map(({ name }) => name));
  const given = new Set([...GIVEN, ...project.values.keys()]);
  return headers.flatMap(({ value }) =>
    value.parts.flatMap((part): Finding[] =>
      typeof part === 'string'
        ? []
        : [...namesIn(part.expression.tree)]
            .filter((word) => !results.has(word) && !given.has(word))
            .map((word) => ({
              level: 'problem',
              code: 'unknown-name',
              message: `the chain ${file} has no result ${word}`,
              hint: results.size > 0 ? `it returns ${[...results].join(', ')}` : 'results: in that chain',
              place: part.at(),
            })),
    ),
  );
}
