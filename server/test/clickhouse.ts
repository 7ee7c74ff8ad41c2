import { mkdtempSync, rmSync } from 'node:fs';
import { serverAt, USER } from '../../tools/clickhouse/server.ts';
import type { ClickhousePlace } from '../src/databases/clickhouse.ts';
import { freePort } from './freePort.ts';

/** ClickHouse for a test of its own, on the loopback address. */
export interface ClickhouseServer {
  readonly place: ClickhousePlace;
  run(sql: string): Promise<string>;
  stop(): Promise<void>;
}

const PASSWORD = 'of-this-test-only';

/** Starts a server over an empty folder. */
export async function startClickhouse(): Promise<ClickhouseServer> {
  const folder = mkdtempSync('/tmp/crease-clickhouse-');
  const [port, tcpPort] = [await freePort(), await freePort()];
  const server = serverAt({ folder, port, tcpPort, password: PASSWORD });
  await server.start();
  return {
    place: { host: '127.0.0.1', port, database: 'lending', user: USER, password: PASSWORD },
    run: (statement) => server.run(statement),
    stop: async () => {
      await server.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
