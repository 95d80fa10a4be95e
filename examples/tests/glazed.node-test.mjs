// A chain in a test of node:test, with its events as they happen and its results: node --test glazed.node-test.mjs
import assert from 'node:assert/strict';
import { after, test } from 'node:test';
import { openProject } from 'batharon';

const project = await openProject(import.meta.dirname);
after(() => project.close());

test('nothing is wrong with the chains', () => {
  assert.deepEqual(
    project.check().filter(({ level }) => level === 'problem'),
    [],
  );
});

test('the glazed pieces of a rack', async (t) => {
  const run = project.run('glazed.chain.yaml', { inputs: { rack: 'A3' }, signal: t.signal });
  const statuses = [];
  for await (const event of run) if (event.event === 'response-received') statuses.push(event.status);
  const { outcome, results, record } = await run;
  assert.equal(outcome, 'passed');
  assert.deepEqual([...new Set(statuses)], [200]);
  assert.match(results.serial, /^\d{16}$/);
  assert.match(await project.report(record, 'junit'), /<testsuites/);
});
