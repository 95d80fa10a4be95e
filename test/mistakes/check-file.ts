import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import type { Finding } from '../../src/core/chain/source/finding.ts';
import { withLine } from '../../src/core/chain/source/whole-lines.ts';
import { FILES, type FileName } from './files.ts';

const { project } = readProject('batharon.yaml', FILES['batharon.yaml'], undefined, true);

/** What check finds in a file that stands in the place of one of {@link FILES}. */
export function checkFile(name: FileName, text: string): readonly Finding[] {
  if (name !== 'batharon.yaml') return readChain(name, text, project).findings;
  const { findings } = readProject(name, text, undefined, true);
  if (findings.some(({ code }) => code === 'yaml')) return findings;
  const seen = new Set(findings.map(({ message }) => message));
  // As check does: also with what the other environment sets.
  return [
    ...findings,
    ...readProject(name, text, 'live', true).findings.filter(({ message }) => !seen.has(message)),
  ];
}

/** What check finds in a chain of that project. */
export function checkChain(text: string): readonly Finding[] {
  return readChain('a.chain.yaml', text, project).findings;
}

/** The line of a file with another in its place, with the blanks that stood before it unless it has its own. */
export const putRight = withLine;
