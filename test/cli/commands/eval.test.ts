import { expect, test } from '@jest/globals';
import { batharon, folderWith, PRACTICE } from '../support.ts';

test('what a filter and a path are warned about in a run, eval says in the same words', async () => {
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'a.chain.yaml': `chain: A
steps:
  - call: GET kiln /racks/A3/pieces
    name: list
    keep: { glazed: "$.pieces[?@.glazed]" }
`,
  });
  const ran = await batharon(folder, ['run', 'a.chain.yaml']);
  const warned = /warning +(\[\?@\.glazed\] kept .*)/;
  const said = warned.exec(ran.stderr)?.[1];
  expect(said).toMatch(/whose glazed is false; to keep only true ones, write @\.glazed == true/);
  const evaluated = await batharon(folder, ['eval', '$.pieces[?@.glazed]', '--on', 'last:list']);
  expect(warned.exec(evaluated.stderr)?.[1]).toBe(said);
  const misspelt = await batharon(folder, ['eval', 'any($.pieces, @.glased == true)', '--on', 'last:list']);
  expect([misspelt.code, misspelt.stderr]).toEqual([1, expect.stringContaining('hint: @.glazed')]);
});

test('eval knows the definitions of the project, and a habit of another language', async () => {
  const folder = folderWith({
    'batharon.yaml': 'define: { "twice(x)": x * 2 }\n',
    'a.json': '{"n":21,"list":[1,2]}',
  });
  expect((await batharon(folder, ['eval', 'twice($.n)', 'a.json'])).stdout).toBe('42\n');
  const { code, stderr } = await batharon(folder, ['eval', '$.list.map(x => x * 2)', 'a.json']);
  expect([code, stderr]).toEqual([2, expect.stringContaining('map(x in $.list, x * 2)')]);
});
