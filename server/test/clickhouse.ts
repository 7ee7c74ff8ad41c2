import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ClickhousePlace } from '../src/databases/clickhouse.ts';
import { freePort } from './freePort.ts';

/** ClickHouse for a test of its own, on the loopback address. */
export interface ClickhouseServer {
  readonly place: ClickhousePlace;
  run(sql: string): Promise<string>;
  stop(): Promise<void>;
}

const PASSWORD = 'of-this-test-only';
const PROGRAM = '/usr/sbin/clickhouse-server';

/** Starts a server over an empty folder. */
export async function startClickhouse(): Promise<ClickhouseServer> {
  if (!existsSync(PROGRAM)) throw new Error('ClickHouse is not installed: run tools/setup.sh --tests');
  const folder = mkdtempSync('/tmp/crease-clickhouse-');
  const [port, tcp] = [await freePort(), await freePort()];
  for (const name of ['data', 'tmp']) mkdirSync(join(folder, name));
  writeFileSync(
    join(folder, 'config.xml'),
    `<yandex><logger><level>error</level><console>1</console></logger>
      <http_port>${port}</http_port><tcp_port>${tcp}</tcp_port><listen_host>127.0.0.1</listen_host>
      <path>${folder}/data/</path><tmp_path>${folder}/tmp/</tmp_path><users_config>users.xml</users_config>
      <default_profile>default</default_profile><default_database>default</default_database>
      <mark_cache_size>67108864</mark_cache_size><timezone>Europe/Berlin</timezone></yandex>`,
  );
  writeFileSync(
    join(folder, 'users.xml'),
    `<yandex><profiles><default/></profiles><quotas><default/></quotas>
      <users><modeler><password>${PASSWORD}</password><networks><ip>127.0.0.1</ip></networks>
      <profile>default</profile><quota>default</quota></modeler></users></yandex>`,
  );
  const server = spawn(PROGRAM, [`--config-file=${join(folder, 'config.xml')}`], {
    cwd: folder,
    stdio: 'ignore',
  });
  const ended = new Promise<void>((resolve) => server.once('exit', () => resolve()));
  const run = async (sql: string): Promise<string> => {
    const headers = { 'X-ClickHouse-User': 'modeler', 'X-ClickHouse-Key': PASSWORD };
    const response = await fetch(`http://127.0.0.1:${port}/`, { method: 'POST', body: sql, headers });
    const text = await response.text();
    if (!response.ok) throw new Error(text);
    return text.trimEnd();
  };
  for (let tries = 0; ; tries++) {
    try {
      await run('select 1');
      break;
    } catch (error) {
      if (tries > 300) throw error;
      await new Promise((resume) => setTimeout(resume, 100));
    }
  }
  return {
    place: { host: '127.0.0.1', port, database: 'lending', user: 'modeler', password: PASSWORD },
    run,
    stop: async () => {
      server.kill('SIGTERM');
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
