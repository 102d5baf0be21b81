const swc = {
  '^.+\\.(m?[jt]sx?)$': [
    '@swc/jest',
    { jsc: { parser: { syntax: 'typescript', tsx: false }, target: 'es2022' }, module: { type: 'commonjs' } },
  ],
};
const node = (name, folder) => ({
  displayName: name,
  rootDir: folder,
  testEnvironment: 'node',
  // Looked up through the sandbox, these cost the numeric loops most of their time. Not `Number`: modules of the
  // registry declare constants of these names, and would not be read.
  sandboxInjectedGlobals: ['Math', 'Array', 'Float64Array', 'Float32Array', 'Int32Array', 'Uint32Array', 'Uint16Array'],
  testMatch: ['**/*.test.ts'],
  transform: swc,
  // These ship as ES modules.
  transformIgnorePatterns: ['/node_modules/(?!(three|nrel-spa|quickselect)/)'],
  moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts' },
});

module.exports = {
  // Beside the browser tests a unit test gets what they leave of the machine.
  testTimeout: 900000,
  testSequencer: '<rootDir>/tools/longestFirst.cjs',
  projects: [
    node('core', 'packages/core'),
    node('formats', 'packages/formats'),
    node('contract', 'packages/contract'),
    node('simset', 'packages/simset'),
    {
      ...node('pipeline', 'packages/pipeline'),
      testEnvironment: '<rootDir>/tests/support/environment.cjs',
      moduleNameMapper: {
        '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts',
        '^piscina$': '<rootDir>/tests/support/piscina.cjs',
      },
    },
    node('cli', 'apps/cli'),
    node('server', 'apps/server'),
    { ...node('project', 'tools'), moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../packages/$1/src/index.ts' } },
    './apps/field/jest.config.cjs',
  ],
};
