// A folder of chains: which are run, side by side or one after the other, and the one summary of all.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import type { RunEvent } from '../../../src/core/events.ts';
import { batharon, folderWith, PRACTICE } from '../support.ts';

/** A chain without requests that says three lines, some of it later than what others say. */
const chain = (name: string, more = ''): string => `chain: ${name}
${more}inputs: { fired: { default: "yes" } }
steps:
  - show: ${name} begins
  - wait: 250ms
  - name: middle
    show: ${name} goes on
  - name: last
    expect: fired == 'yes'
    show: ${name} ends
results: { name: "'${name}'" }
`;

const broken = chain('bowl').replace("fired == 'yes'", "fired == 'no'");

const FOLDER = {
  'chains/anagama.chain.yaml': chain('anagama', 'tags: [nightly]\n'),
  'chains/bowl.chain.yaml': broken,
  'chains/deep/cup.chain.yaml': chain('cup', 'tags: [nightly, slow]\n'),
  'chains/deep/dish.chain.yaml': chain('dish'),
  'chains/notes.yaml': 'not a chain',
};
const NAMES = ['anagama', 'bowl', 'cup', 'dish'];

/** Which chains were begun, in the order in which they are shown. */
const shown = (stderr: string): string[] =>
  [...stderr.matchAll(/^(\w+) +run \w+$/gm)].map(([, name]) => name!);

describe('a folder of chains', () => {
  test('is carried out in the order of the names, with one summary', async () => {
    const { code, stderr, stdout } = await batharon(folderWith(FOLDER), ['run', 'chains']);
    expect([code, shown(stderr)]).toEqual([1, NAMES]);
    expect(stderr).toMatch(
      /\nfailed\. 3 of 4 chains passed, 0 calls, [^\n]*\nfailed {2}chains\/bowl\.chain\.yaml {2}bowl {2}run \w+\n$/,
    );
    expect(Object.keys(JSON.parse(stdout) as object)).toEqual(
      ['anagama', 'deep/cup', 'deep/dish'].map((name) => `chains/${name}.chain.yaml`),
    );
  });

  test('--jobs: side by side, and what each says stays together', async () => {
    const folder = folderWith(FOLDER);
    const { code, stderr } = await batharon(folder, ['run', 'chains', '--jobs', '3', '--junit', 'all.xml']);
    expect([code, shown(stderr).toSorted()]).toEqual([1, NAMES]);
    const says = [...stderr.matchAll(/^shows +(\w+) (\w+ ?\w*)$/gm)].map(
      ([, name, what]) => `${name!} ${what!}`,
    );
    const order = shown(stderr);
    expect(says).toEqual(
      order.flatMap((name) =>
        ['begins', 'goes on', ...(name === 'bowl' ? [] : ['ends'])].map((what) => `${name} ${what}`),
      ),
    );
    expect(readFileSync(join(folder, 'all.xml'), 'utf8').match(/<testsuite /g)).toHaveLength(4);
    // As events too, one run after the other, though they went on at the same time.
    const json = await batharon(folder, ['run', 'chains', '--jobs', '4', '--json']);
    const events = json.stdout
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as RunEvent);
    const ends = events.filter(({ event }) => event === 'run-began' || event === 'run-ended');
    expect(ends.map(({ event }) => event)).toEqual(Array(4).fill(['run-began', 'run-ended']).flat());
    const began = ends.filter(({ event }) => event === 'run-began').map(({ at }) => at);
    const ended = ends.filter(({ event }) => event === 'run-ended').map(({ at }) => at);
    expect(Math.max(...began)).toBeLessThan(Math.min(...ended));
  });

  test('--tag takes those with one of the tags; one that no chain has is said, with those there are', async () => {
    const folder = folderWith(FOLDER);
    const { code, stderr } = await batharon(folder, ['run', 'chains', '--tag', 'nightly']);
    expect([code, shown(stderr)]).toEqual([0, ['anagama', 'cup']]);
    const none = await batharon(folder, ['run', 'chains', '--tag', 'nigthly']);
    expect([none.code, none.stderr]).toEqual([
      2,
      expect.stringMatching(/no chain has the tag nigthly[^]*nightly, slow/),
    ]);
  });

  test('--shard: the shares of all machines are all chains, each once', async () => {
    const folder = folderWith(FOLDER);
    const shares = await Promise.all(
      [1, 2, 3].map((nth) => batharon(folder, ['run', 'chains', '--shard', `${nth}/3`])),
    );
    expect(shares.flatMap(({ stderr }) => shown(stderr)).toSorted()).toEqual(NAMES);
    const more = await batharon(folder, ['run', 'chains', '--shard', '5/6']);
    expect([more.code, more.stderr]).toEqual([0, expect.stringContaining('fewer chains than shares')]);
    for (const wrong of ['0/3', '4/3', '1', 'a/b']) {
      const { code, stderr } = await batharon(folder, ['run', 'chains', '--shard', wrong]);
      expect([code, stderr]).toEqual([2, expect.stringContaining(`--shard ${wrong} is no share`)]);
    }
  });

  test('--stop-early begins no chain once one has broken', async () => {
    const { code, stderr } = await batharon(folderWith(FOLDER), ['run', 'chains', '--stop-early']);
    expect([code, shown(stderr)]).toEqual([1, ['anagama', 'bowl']]);
    expect(stderr).toContain('1 of 4 chains passed, 2 not begun');
  });

  test('a problem in one of them is said, and none is begun; the highest exit code counts', async () => {
    const wrong = { ...FOLDER, 'chains/eel.chain.yaml': 'chain: eel\nstep: []\n' };
    const { code, stderr } = await batharon(folderWith(wrong), ['run', 'chains']);
    expect([code, shown(stderr)]).toEqual([2, []]);
    expect(stderr).toMatch(/chains\/eel\.chain\.yaml:2:1: .*step[^]*nothing was sent/);
    const unreachable = `chain: eel\nsteps:\n  - call: GET http://127.0.0.1:9/eel\n`;
    const cut = await batharon(
      folderWith({ 'batharon.yaml': PRACTICE, ...FOLDER, 'chains/eel.chain.yaml': unreachable }),
      ['run', 'chains'],
    );
    expect([cut.code, shown(cut.stderr).length]).toEqual([3, 5]);
  });
});
