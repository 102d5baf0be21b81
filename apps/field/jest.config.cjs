module.exports = {
  displayName: 'field',
  preset: 'jest-expo/ios',
  rootDir: __dirname,
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  moduleNameMapper: { '^@tawny/([a-z]+)$': '<rootDir>/../../packages/$1/src/index.ts' },
  transformIgnorePatterns: ['/node_modules/(?!((jest-)?react-native|@react-native(-community)?|expo(nent)?|@expo(nent)?/.*|@expo-google-fonts/.*|@rneui/.*|react-native-svg|astronomy-engine|ml-matrix)/)'],
};
