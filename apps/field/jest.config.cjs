const preset = require('jest-expo/ios/jest-preset.js');

/** What is ours has no syntax of React Native's own: read by the quicker compiler. */
const ours = (parser) => [
  '@swc/jest',
  {
    jsc: { parser, target: 'es2022', transform: { react: { runtime: 'automatic' } } },
    module: { type: 'commonjs' },
  },
];

module.exports = {
  displayName: 'field',
  preset: 'jest-expo/ios',
  rootDir: __dirname,
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  transform: {
    '/(packages|apps/field)/(?!.*node_modules).+\\.ts$': ours({ syntax: 'typescript' }),
    '/apps/field/(?!.*node_modules).+\\.tsx$': ours({ syntax: 'typescript', tsx: true }),
    ...preset.transform,
  },
  moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts' },
  transformIgnorePatterns: [
    '/node_modules/(?!(react-native|@react-native|expo|@expo|@rneui|astronomy-engine|ml-matrix|quickselect))',
  ],
};
