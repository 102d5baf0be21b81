/** Imports run one way: apps -> pipeline -> contract / formats / simset -> core. Checked by tools/imports.test.ts. */
const only = (name, from, allowed) => ({
  name,
  severity: 'error',
  from: { path: from },
  to: { path: '^(packages|apps)/', pathNot: [from, ...allowed] },
});

module.exports = {
  forbidden: [
    only('core knows nobody', '^packages/core/', []),
    only('contract knows core', '^packages/contract/', ['^packages/core/']),
    only('formats knows core', '^packages/formats/', ['^packages/core/']),
    only('simset knows core and formats', '^packages/simset/', ['^packages/(core|formats)/']),
    only('pipeline knows core, formats and simset', '^packages/pipeline/', ['^packages/(core|formats|simset)/']),
    only('the interface knows contract and core', '^apps/field/', ['^packages/(core|contract)/']),
    only('the command line knows no other app', '^apps/cli/', ['^packages/']),
    only('the server knows no other app', '^apps/server/', ['^packages/']),
    {
      name: 'core has no Node and no DOM',
      severity: 'error',
      from: { path: '^packages/core/src/' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'mechanisms of the server know no feature',
      severity: 'error',
      from: {
        path: '^apps/server/src/(access|db|decode|files|http|jobs|records)/|^apps/server/src/(config|problems|services)',
      },
      to: {
        path: '^apps/server/src/',
        pathNot:
          '^apps/server/src/(access|db|decode|files|http|jobs|records)/|^apps/server/src/(config|problems|services)',
      },
    },
    {
      name: 'features of the server know nothing of their composition',
      severity: 'error',
      from: { path: '^apps/server/src/', pathNot: '^apps/server/src/(composition/|main|worker|demo/)' },
      to: { path: '^apps/server/src/(composition/|main|worker|demo/)' },
    },
    { name: 'no cycles', severity: 'error', from: {}, to: { circular: true, dependencyTypesNot: ['type-only'] } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(node_modules|dist|\\.expo)' },
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default'],
      mainFields: ['main', 'types'],
    },
  },
};
