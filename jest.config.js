import { availableParallelism } from 'node:os';

/** @type {import('jest').Config} */
export default {
  testEnvironment: '<rootDir>/test/setup/environment.cjs',
  extensionsToTreatAsEsm: ['.ts'],
  transform: { '\\.ts$': '<rootDir>/test/setup/transform.cjs' },
  testMatch: ['<rootDir>/test/**/*.test.ts'],
  // The tests wait as much as they compute.
  maxWorkers: Number(process.env.TEST_WORKERS ?? Math.ceil(availableParallelism() * 1.5)),
  setupFiles: ['<rootDir>/test/setup/seed.mjs'],
  testTimeout: 60_000,
};
