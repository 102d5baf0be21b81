module.exports = {
  displayName: 'field',
  preset: 'jest-expo/ios',
  rootDir: __dirname,
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts' },
  transformIgnorePatterns: [
    '/node_modules/(?!(react-native|@react-native|expo|@expo|@rneui|astronomy-engine|ml-matrix))',
  ],
};
