// Random models, questions and claims, many more than `npm test` draws, on every database whose SQL is written:
// SQLite, PostgreSQL, MariaDB, DuckDB, each against the encoded columns. For the night: it takes hours.
//   npm run test:night [-- --times N]   (default 170: some 10,000 questions, and some 2,000 worlds of claims, on each)
import { spawnSync } from 'node:child_process';

const at = process.argv.indexOf('--times');
const times = at < 0 ? '170' : process.argv[at + 1];
const run = (command, args, env = process.env) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', env });
  if (status !== 0) process.exit(status ?? 1);
};
run('bash', ['tools/setup.sh', '--tests']);
run(process.execPath, ['tools/build.mjs']);
const suites = ['duckdb', 'mariadb', 'warehousePostgresql', 'warehouseClaims', 'warehouseRows', 'fuzz'];
run('npx', ['jest', '--maxWorkers=2', ...suites.map((name) => `server/test/${name}.test.ts`)], {
  ...process.env,
  CREASE_CASES: times,
  CREASE_PROGRAMS: `${process.cwd()}/cli/dist`,
});
