// One Jest project for all workspaces; TypeScript is stripped by swc, worker files run outside of Jest.
const toCommonJs = [
  '@swc/jest',
  {
    jsc: {
      target: 'es2022',
      parser: { syntax: 'typescript', tsx: true },
      transform: { react: { runtime: 'automatic' } },
    },
    module: { type: 'commonjs' },
    sourceMaps: 'inline',
  },
];
export default {
  testEnvironment: 'node',
  // Tests start threads, databases and programs: on a machine that is busy with other work these take their
  // time, and it may stand still for a minute. A limit only ends what hangs.
  testTimeout: 180_000,
  globalSetup: '<rootDir>/tools/jest-programs.mjs',
  setupFiles: ['<rootDir>/tools/jest-sqlite.cjs', '<rootDir>/tools/jest-seed.cjs'],
  testMatch: ['<rootDir>/*/src/**/*.test.ts', '<rootDir>/*/test/**/*.test.ts'],
  modulePathIgnorePatterns: ['<rootDir>/.*/dist/'],
  // These packages come as modules only.
  transformIgnorePatterns: [
    '/node_modules/(?!(?:hyparquet|hyparquet-writer|hyparquet-compressors|hysnappy|fzstd)/)',
  ],
  transform: { '^.+\\.[cm]?[jt]sx?$': toCommonJs },
  moduleNameMapper: {
    '^@crease/core/(.*)$': '<rootDir>/core/src/$1/index.ts',
    '^@crease/(contract|demo)$': '<rootDir>/$1/src/index.ts',
    '^@crease/server/store$': '<rootDir>/server/src/store/index.ts',
    '^@crease/server/files$': '<rootDir>/server/src/files.ts',
    '^@crease/server/sql$': '<rootDir>/server/src/sql.ts',
    '^@crease/server/sql-design$': '<rootDir>/server/src/sources/sqlDesign.ts',
    '^@crease/server/rows-parquet$': '<rootDir>/server/src/rowsParquet.ts',
    '^@crease/server$': '<rootDir>/server/src/index.ts',
  },
};
