// A chain as tests of Jest: each step is a test of its own. Run it with node --experimental-vm-modules and Jest.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openProject } from 'batharon';

const project = await openProject(import.meta.dirname);

describe.each(project.chains(['glazed.chain.yaml', 'piece.chain.yaml']))('$title', ({ file, steps }) => {
  let result;

  beforeAll(async () => {
    result = await project.run(file);
  }, 60_000);

  test.each(steps)('$title', ({ address }) => {
    const step = result.steps.find((one) => one.address === address);
    expect(step?.failure).toBeUndefined();
    expect(['passed', 'skipped']).toContain(step?.outcome);
  });

  test('passes, with what it cleans up', () => {
    expect(result).toMatchObject({ outcome: 'passed', failures: [] });
  });
});

afterAll(() => project.close());
