// What README and docs show is true: chains and project files in them are checked, links lead somewhere.
import { JOBS } from '../src/core/explain/jobs.ts';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { parse as parseYaml } from 'yaml';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import type * as z from 'zod';
import { CREDENTIAL_KINDS } from '../src/core/chain/keys/credential-keys.ts';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { eventSchema } from '../src/core/events.ts';
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
    const broken = [...text.matchAll(/```yaml breaks\n([\s\S]*?)```/g)].map(([, block]) => block!);
    for (const block of [...blocks, ...broken]) {
      const findings = /^(?:#.*\n)*chain:/.test(block)
        ? readChain(page, block, project, { files: (path) => namedBlock(text, path) }).findings
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

  const chains = blocks.filter((block) => /^(?:#.*\n)*chain:/.test(block));
  if (chains.length === 0) return;
  test('its example holds against the practice service', async () => {
    const folder = folderWith({
      'batharon.yaml': blocks[0]!,
      'main.chain.yaml': chains.at(-1)!,
      ...(chains.length > 1 ? { 'sign-in.chain.yaml': chains[0]! } : {}),
    });
    const { code, stderr } = await batharon(folder, ['run', 'main.chain.yaml']);
    expect([code, stderr]).toEqual([0, expect.stringContaining('passed')]);
  });
});

test.each(JOBS)(
  'the example of explain “$word” holds against the practice service',
  async ({ chain, files = {} }) => {
    const practice = await startPractice({ speed: 60, tokenLife: 1e6 });
    try {
      const own = files['batharon.yaml'] ?? PRACTICE;
      const folder = folderWith({
        'job.chain.yaml': chain,
        ...files,
        'batharon.yaml': own.replace('url: practice', `url: ${practice.url}`),
      });
      const checked = await batharon(folder, ['check'], { env: PRACTICE_VARIABLES });
      expect(checked.stderr).toMatch(/checked, no problems\.$/m);
      const { code, stderr } = await batharon(folder, ['run', 'job.chain.yaml'], { env: PRACTICE_VARIABLES });
      expect([stderr.match(/^(?:failed|interrupted).*/gm) ?? [], code]).toEqual([[], 0]);
    } finally {
      await practice.close();
    }
  },
);

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
  // The chains of that page run against other servers, in `test/peers/`.
  const texts = pages
    .filter((page) => page !== 'docs/graphql-and-json-rpc.md')
    .map((page) => readFileSync(join(root, page), 'utf8'));
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
    expect([stderr.match(/^failed.*/gm) ?? [], code]).toEqual([[], 0]);
  } finally {
    await practice.close();
  }
});

test('the chain that breaks in “Finding out why a run failed” does, and goes on with another number', async () => {
  const page = readFileSync(join(root, 'docs/finding-out.md'), 'utf8');
  const [, chain] = /```yaml breaks\n([\s\S]*?)```/.exec(page)!;
  const practice = await startPractice({});
  try {
    const folder = folderWith({
      'batharon.yaml': PRACTICE.replace('url: practice', `url: ${practice.url}`),
      'all/enough.chain.yaml': chain!,
    });
    const setting = { env: PRACTICE_VARIABLES };
    const first = await batharon(
      folder,
      ['run', 'all', '--junit', 'report.xml', '--html', 'report.html'],
      setting,
    );
    expect(first.code).toBe(1);
    expect(readFileSync(join(folder, 'report.xml'), 'utf8')).toContain('failures="1"');
    expect(readFileSync(join(folder, 'report.html'), 'utf8')).toContain('Enough pieces to fire: failed');
    expect((await batharon(folder, ['history', '--outcome', 'failed'], setting)).stdout).toMatch(
      /^failed .* all\/enough\.chain\.yaml {2}Enough pieces to fire\n +at other: expected length\(pieces\)/,
    );
    expect((await batharon(folder, ['view'], setting)).stdout).toMatch(
      /^failed +other +200 .*\n[\s\S]*batharon resume/m,
    );
    writeFileSync(join(folder, 'all/enough.chain.yaml'), chain!.replace('1000', '10'));
    const second = await batharon(folder, ['resume'], setting);
    expect([second.code, second.stderr]).toEqual([0, expect.stringContaining('passed before') as unknown]);
    expect(second.stderr).toContain('2 of 2 steps passed, 1 call');
    expect((await batharon(folder, ['resume'], setting)).stderr).toContain(
      'passed, so there is nothing to go on with',
    );
    expect((await batharon(folder, ['compare', 'last:rack', 'last:other'], setting)).code).toBe(0);
    const { stdout } = await batharon(folder, ['view', 'last:rack', '--as-curl'], setting);
    expect(stdout).toContain("curl 'http://127.0.0.1:");
    expect(stdout).toContain('-H "authorization: Bearer $CREDENTIAL"');
    // Against the responses that came; whoever asks for something else is told that it is new.
    const replayed = await batharon(folder, ['run', 'all', '--replay', 'last']);
    expect([replayed.code, replayed.stderr]).toEqual([
      0,
      expect.stringContaining('nothing was sent') as unknown,
    ]);
    writeFileSync(join(folder, 'all/enough.chain.yaml'), chain!.replace('racks/B1', 'racks/C2'));
    const changed = await batharon(folder, ['run', 'all', '--replay', 'last']);
    expect([changed.code, changed.stderr]).toEqual([
      3,
      expect.stringMatching(/GET .*\/racks\/C2.* is new/) as unknown,
    ]);
    for (const kind of ['--har', '--markdown', '--json', '--junit'])
      expect((await batharon(folder, ['report', kind], setting)).stdout).toContain('Enough pieces to fire');
  } finally {
    await practice.close();
  }
});

test('docs/events.md lists each kind of event with its members', () => {
  const text = readFileSync(join(root, 'docs/events.md'), 'utf8');
  const rows = [...text.matchAll(/^\| `([a-z-]+)` +\|[^|]*\|([^|]*)\|/gm)].map(([, kind, members]) => [
    kind,
    [...members!.matchAll(/`(\w+)`(\??)/g)].map(([, name, optional]) => name! + optional!),
  ]);
  const kinds = eventSchema.options.map(({ shape }) => [
    shape.event.value,
    Object.entries<z.ZodType>(shape)
      .filter(([name]) => name !== 'event' && name !== 'at')
      .map(([name, schema]) => (schema.safeParse(undefined).success ? `${name}?` : name)),
  ]);
  const byName = (all: unknown[][]): unknown => Object.fromEntries(all);
  expect(byName(rows)).toEqual(byName(kinds));
});

describe('examples for build servers', () => {
  const folder = join(root, 'docs/build-servers');
  const files = readdirSync(folder).map((name) => [name, readFileSync(join(folder, name), 'utf8')] as const);

  test.each(files)('%s is written as it must be, and its commands are understood', async (name, text) => {
    if (name.endsWith('.yaml')) expect(parseYaml(text)).toBeInstanceOf(Object);
    else if (name.endsWith('.sh')) execFileSync('sh', ['-n', join(folder, name)]);
    else expect(text.replace(/[^{}]/g, '').length % 2).toBe(0);
    const commands = [...text.matchAll(/npx batharon ([^'"|\n)]*)/g)].map(([, words]) =>
      words!
        .replace(/ \|\|.*/, '')
        .trim()
        .split(/\s+/),
    );
    expect(commands.length).toBeGreaterThan(1);
    for (const [command = '', ...words] of commands) {
      const { stdout } = await batharon(root, [command, '--help']);
      for (const word of words.filter((one) => one.startsWith('--')))
        expect([command, stdout]).toEqual([command, expect.stringContaining(`${word} `)]);
    }
  });
});
