// What README and docs show is true: chains and project files in them are checked, links lead somewhere.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { CREDENTIAL_KINDS } from '../src/core/chain/model.ts';
import { readChain } from '../src/core/chain/read-chain.ts';
import { readProject } from '../src/core/chain/read-project.ts';
import { startPractice } from '../src/practice/service.ts';
import { PRACTICE_VARIABLES } from '../src/practice/state.ts';
import { batharon, folderWith, PRACTICE } from './cli/support.ts';

const root = fileURLToPath(new URL('..', import.meta.url));
const pages = [
  'README.md',
  'CONTRIBUTING.md',
  ...readdirSync(join(root, 'docs'))
    .filter((name) => name.endsWith('.md'))
    .map((name) => `docs/${name}`),
];
const credentialPages = readdirSync(join(root, 'docs/credentials')).map((name) => `docs/credentials/${name}`);
const { project } = readProject('batharon.yaml', PRACTICE, undefined, true);

describe.each(pages)('%s', (page) => {
  const text = readFileSync(join(root, page), 'utf8');
  const blocks = [...text.matchAll(/```yaml\n([\s\S]*?)```/g)].map(([, block]) => block!);

  test('links lead somewhere', () => {
    const targets = [...text.matchAll(/\]\(([^)#\s]+)(?:#[^)]*)?\)/g)]
      .map(([, target]) => target!)
      .filter((target) => !/^https?:/.test(target));
    expect(targets.filter((target) => !existsSync(join(root, dirname(page), target)))).toEqual([]);
  });

  test('chains and project files have no problems', () => {
    for (const block of blocks) {
      const findings = block.startsWith('chain:')
        ? readChain(page, block, project, (path) => namedBlock(text, path)).findings
        : readProject(page, block, undefined, true).findings;
      expect([block, findings.map(({ message }) => message)]).toEqual([block, []]);
    }
  });
});

describe.each(credentialPages)('%s', (page) => {
  const text = readFileSync(join(root, page), 'utf8');
  const blocks = [...text.matchAll(/```yaml\n([\s\S]*?)```/g)].map(([, block]) => block!);

  test('its project files have no problems, its links lead somewhere', () => {
    for (const block of blocks.filter((one) => !one.startsWith('chain:')))
      expect([
        block,
        readProject('batharon.yaml', block, undefined, true).findings.map(({ message }) => message),
      ]).toEqual([block, []]);
    const targets = [...text.matchAll(/\]\(([^)#\s]+)\)/g)].map(([, target]) => target!);
    expect(targets.filter((target) => !existsSync(join(root, dirname(page), target)))).toEqual([]);
  });

  const chains = blocks.filter((block) => block.startsWith('chain:'));
  if (chains.length === 0) return;
  test('its example holds against the practice service', async () => {
    const folder = folderWith({
      'batharon.yaml': blocks[0]!,
      'main.chain.yaml': chains.at(-1)!,
      ...(chains.length > 1 ? { 'sign-in.chain.yaml': chains[0]! } : {}),
    });
    const { code, stderr } = await batharon(folder, ['run', 'main.chain.yaml']);
    expect([code, stderr]).toEqual([0, expect.stringContaining('held')]);
  });
});

test('each kind of credential has a page', () => {
  expect(CREDENTIAL_KINDS.filter((kind) => !credentialPages.includes(`docs/credentials/${kind}.md`))).toEqual(
    [],
  );
});

/** A chain that the text introduces by the name of its file. */
function namedBlock(text: string, path: string): { path: string; text: string } | undefined {
  const block = new RegExp(`\`${path}\`:\\n\\n\`\`\`yaml\\n([\\s\\S]*?)\`\`\``).exec(text)?.[1];
  return block === undefined ? undefined : { path, text: block };
}

test('the chains of README, guide and recipes hold against the practice service', async () => {
  const texts = pages.map((page) => readFileSync(join(root, page), 'utf8'));
  const named = namedBlock(texts.join('\n'), 'rack.chain.yaml')!;
  const chains = texts
    .flatMap((text) => [...text.matchAll(/```yaml\n(chain:[\s\S]*?)```/g)].map(([, block]) => block!))
    .filter((block) => !block.includes('127.0.0.1') && block !== named.text);
  expect(chains.length).toBeGreaterThan(18);
  // Its time runs faster, so that its kilns cool while the test goes on.
  const practice = await startPractice({ speed: 60, tokenLife: 1e6 });
  try {
    const folder = folderWith({
      'batharon.yaml': PRACTICE.replace('url: practice', `url: ${practice.url}`),
      ...Object.fromEntries(
        chains.map((chain, i) => [`all/${String(i).padStart(2, '0')}.chain.yaml`, chain]),
      ),
      'all/rack.chain.yaml': named.text,
      'all/pieces.csv': 'id,cone\np1001,6\np1002,7\n',
    });
    const files = chains.map((_, i) => `all/${String(i).padStart(2, '0')}.chain.yaml`);
    const { code, stderr } = await batharon(folder, ['run', ...files], { env: PRACTICE_VARIABLES });
    expect([stderr.match(/^broke.*/gm) ?? [], code]).toEqual([[], 0]);
  } finally {
    await practice.close();
  }
});
