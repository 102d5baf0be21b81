export * from './common';
export * from './records';
export * from './results';
export * from './takeRules';
