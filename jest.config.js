/** @type {import('jest').Config} */
export default {
  testEnvironment: '<rootDir>/test/setup/environment.cjs',
  extensionsToTreatAsEsm: ['.ts'],
  transform: { '\\.ts$': '<rootDir>/test/setup/transform.cjs' },
  testMatch: ['<rootDir>/test/**/*.test.ts'],
  maxWorkers: '100%',
  setupFiles: ['<rootDir>/test/setup/seed.mjs'],
  testTimeout: 60_000,
};
