/** Unit tests of every workspace; the interface is tested by Playwright in e2e/. */
module.exports = {
  testMatch: ['<rootDir>/{core,api,server,demo,web}/**/*.test.ts'],
  testPathIgnorePatterns: ['/node_modules/', '/dist/'],
  transform: {
    '^.+\\.tsx?$': ['@swc/jest', { jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022' }, module: { type: 'commonjs' } }],
  },
  moduleNameMapper: {
    '^@pendolo/core/(.*)$': '<rootDir>/core/$1/index.ts',
    '^@pendolo/api$': '<rootDir>/api/index.ts',
  },
  testTimeout: 60_000,
  // Looking these up through the test sandbox is many times slower than computing with them.
  sandboxInjectedGlobals: ['Math', 'Float32Array', 'Float64Array', 'Int16Array'],
}
