// A project and what is found in the text of a chain, for the tests of reading.
import type { Finding } from '../../../src/core/chain/source/finding.ts';
import { readChain } from '../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../src/core/chain/read/read-project.ts';

const PROJECT = `services:
  kiln:
    url: https://kiln.example/v1
    as: desk
credentials:
  desk: { kind: bearer, token: "\${secret.desk}" }
secrets:
  desk: env KILN_DESK
values:
  studio: north
`;
export const { project } = readProject('batharon.yaml', PROJECT, undefined, true);

export function findings(text: string): readonly Finding[] {
  return readChain('a.chain.yaml', text, project).findings;
}

/** Steps, with the chain's title on line 1 and `steps:` on line 2. */
export const steps = (text: string): string => `chain: Test\nsteps:\n${text}`;

export function shown({ place, code, message, hint, example, level }: Finding): string {
  const way = hint ?? example;
  return `${place?.line ?? 0}:${place?.column ?? 0} ${level === 'warning' ? 'warning ' : ''}${code}: ${message}${way === undefined ? '' : ` | ${way}`}`;
}

/** What is found in steps, a line each. */
export function foundIn(text: string): string {
  return findings(steps(text)).map(shown).join('\n');
}
