// Imports run one way: web, server, cli -> contract -> core; within the core, down the ladder of folders.
const ladder = [
  'values',
  'columns',
  'reading',
  'model',
  'calendar',
  'relate',
  'formula',
  'query',
  'rows',
  'sql',
  'load',
  'shape',
  'corrections',
  'sources',
  'edit',
  'changes',
  'storage',
  'claims',
  'propose',
  'stars',
  'interchange',
  'release',
];
const upward = ladder.map((folder, index) => ({
  name: `core-${folder}-imports-downwards-only`,
  severity: 'error',
  from: { path: `^core/src/${folder}/`, pathNot: '\\.test\\.ts$' },
  to: { path: `^core/src/(${ladder.slice(index + 1).join('|') || 'none-above'})/` },
}));
module.exports = {
  forbidden: [
    {
      name: 'no-cycles',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    {
      name: 'core-is-pure',
      severity: 'error',
      from: { path: '^core/src', pathNot: '\\.test\\.ts$' },
      to: { pathNot: ['^core/src', 'node_modules/zod'] },
    },
    {
      name: 'contract-knows-core-only',
      severity: 'error',
      from: { path: '^contract' },
      to: { path: '^(server|web|cli|demo)/' },
    },
    {
      name: 'server-knows-no-screen',
      severity: 'error',
      from: { path: '^server' },
      to: { path: '^(web|cli)/' },
    },
    {
      name: 'web-knows-no-server',
      severity: 'error',
      from: { path: '^web' },
      to: { path: '^(server|cli|demo)/|^(fs|path|os|node:)' },
    },
    {
      name: 'demo-knows-core-only',
      severity: 'error',
      from: { path: '^demo/src', pathNot: '\\.test\\.ts$' },
      to: { path: '^(server|web|cli|contract)/' },
    },
    ...upward,
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(dist|node_modules/(?!zod|@crease))' },
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'default'] },
  },
};
