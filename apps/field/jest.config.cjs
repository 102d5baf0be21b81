const preset = require('jest-expo/ios/jest-preset.js');

/** What has no syntax of React Native's own is read by the quicker compiler. */
const quick = (parser) => [
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
    '/(packages|apps/field)/(?!.*node_modules).+\\.ts$': quick({ syntax: 'typescript' }),
    '/apps/field/(?!.*node_modules).+\\.tsx$': quick({ syntax: 'typescript', tsx: true }),
    '/node_modules/(react-native-svg|react-native-chart-kit|@rneui|astronomy-engine|ml-matrix|quickselect)/.+\\.[jt]sx?$':
      quick({ syntax: 'typescript', tsx: true }),
    ...preset.transform,
  },
  moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts' },
  transformIgnorePatterns: [
    '/node_modules/(?!(react-native|@react-native|expo|@expo|@rneui|astronomy-engine|ml-matrix|quickselect))',
  ],
};
