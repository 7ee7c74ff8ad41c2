/** Packages with native parts or workers of their own: they are not bundled, and stay where npm put them. */
export const PACKAGES_APART = [
  'better-sqlite3',
  'piscina',
  'pino',
  'pg',
  'pg-copy-streams',
  '@duckdb/node-api',
  'mysql2',
  'mysql2/promise',
];
