// A cluster of ClickHouse on this machine with the rows of the made-up library consortium: facts spread over
// its nodes, dimensions on each. It goes, with all that it holds, when this ends.
//   npm run cluster [-- --nodes 3] [--loans 200000] [--port N]
import { startCluster } from './clickhouse/cluster.ts';
import { demoRows } from './clickhouse/demo.ts';

const [, , ...given] = process.argv;
const number = (name: string, usual?: number): number | undefined => {
  const at = given.indexOf(`--${name}`);
  if (at < 0) return usual;
  const value = Number(given[at + 1]);
  if (Number.isInteger(value) && value > 0) return value;
  console.error(`--${name} ${given[at + 1] ?? ''}: a whole number above 0 is meant`);
  process.exit(2);
};
const [nodes, loans, port] = [number('nodes', 3)!, number('loans', 200_000)!, number('port')];

const cluster = await startCluster(nodes, port).catch((error: Error) => {
  console.error(error.message);
  process.exit(1);
});
let stopping: Promise<void> | undefined;
const stop = (): void => {
  stopping ??= cluster.stop().then(() => process.exit(0));
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
try {
  const { model, rowsOf } = demoRows(loans);
  await cluster.write(model, rowsOf);
} catch (error) {
  if (!stopping) {
    console.error((error as Error).message);
    await cluster.stop();
    process.exit(1);
  }
}
if (!stopping) {
  const { host, port: at, database, user, password } = cluster.place;
  console.log(`A coordinator and ${nodes} ${nodes === 1 ? 'node' : 'nodes'} of ClickHouse with ${loans.toLocaleString('en')} loan lines.
  server    ${host}, port ${at} (HTTP)
  database  ${database}
  user      ${user}
  password  ${password}
Add it as a connection on Intake (Databases). Ctrl-C ends it and removes what it holds.`);
}
