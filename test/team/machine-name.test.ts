import { spawn } from 'node:child_process';
import { hostname } from 'node:os';
import { expect, test } from '@jest/globals';
import { hasEndedHere, here, isOfHere, machineName } from '../../src/io/team/machine-name.ts';

test('a machine counts as ended only where its process would be seen', async () => {
  const { place } = here();
  const child = spawn(process.execPath, ['-e', '']);
  await new Promise((resolve) => child.once('exit', resolve));
  const named = (pid: number, at: string): string => `${hostname()}-${pid}-${at}0a1b2c`;
  expect([
    hasEndedHere(machineName()),
    hasEndedHere(named(process.pid, place)),
    hasEndedHere(named(child.pid!, place)),
    // Another machine of the same name, where that process may well live.
    hasEndedHere(named(child.pid!, 'fedcba')),
    hasEndedHere(named(child.pid!, '000000')),
    hasEndedHere('no name of a machine'),
  ]).toEqual([false, false, place !== '000000', false, false, false]);
  expect(
    [machineName(), named(1, place), named(1, 'fedcba'), `other-1-${place}0a1b2c`].map(isOfHere),
  ).toEqual([true, true, false, false]);
  expect(machineName()).not.toBe(machineName());
});
