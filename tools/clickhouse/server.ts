import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Where Debian's package puts it. */
const PROGRAM = '/usr/sbin/clickhouse-server';
export const USER = 'modeler';
const TRIES = 300;

/** A server of its own over a folder, on the loopback address. */
export interface Server {
  readonly port: number;
  readonly tcpPort: number;
  /** The answer of a statement as text. Throws Error with the server's words. */
  run(sql: string, search?: Readonly<Record<string, string>>): Promise<string>;
  /** Sends rows behind an `insert … format …`. */
  insert(sql: string, rows: string, search?: Readonly<Record<string, string>>): Promise<void>;
  start(): Promise<void>;
  stop(signal?: NodeJS.Signals): Promise<void>;
}

export interface ServerPlace {
  readonly folder: string;
  readonly port: number;
  readonly tcpPort: number;
  readonly password: string;
  /** Further parts of its configuration, as XML. */
  readonly more?: string;
}

/** Writes the configuration of a server; it is started by `start`. Throws Error where it is not installed. */
export function serverAt({ folder, port, tcpPort, password, more = '' }: ServerPlace): Server {
  if (!existsSync(PROGRAM))
    throw new Error(
      'ClickHouse is not installed: apt-get install clickhouse-server (Debian), or tools/setup.sh --tests',
    );
  for (const name of ['data', 'tmp']) mkdirSync(join(folder, name), { recursive: true });
  writeFileSync(
    join(folder, 'config.xml'),
    `<yandex><logger><level>error</level><console>1</console></logger>
      <http_port>${port}</http_port><tcp_port>${tcpPort}</tcp_port><listen_host>127.0.0.1</listen_host>
      <path>${folder}/data/</path><tmp_path>${folder}/tmp/</tmp_path><users_config>users.xml</users_config>
      <default_profile>default</default_profile><default_database>default</default_database>
      <query_log><database>system</database><table>query_log</table><flush_interval_milliseconds>500</flush_interval_milliseconds></query_log>
      <mark_cache_size>67108864</mark_cache_size><timezone>Europe/Berlin</timezone>${more}</yandex>`,
  );
  writeFileSync(
    join(folder, 'users.xml'),
    `<yandex><profiles><default><log_queries>1</log_queries></default></profiles><quotas><default/></quotas>
      <users><${USER}><password>${password}</password><networks><ip>127.0.0.1</ip></networks>
      <profile>default</profile><quota>default</quota></${USER}></users></yandex>`,
  );
  const headers = { 'X-ClickHouse-User': USER, 'X-ClickHouse-Key': password };
  const send = async (body: string, search: Readonly<Record<string, string>> = {}): Promise<string> => {
    const url = `http://127.0.0.1:${port}/?${new URLSearchParams(search)}`;
    const response = await fetch(url, { method: 'POST', body, headers });
    const text = await response.text();
    if (!response.ok) throw new Error(text);
    return text.trimEnd();
  };
  let ended: Promise<void> | undefined;
  let child: ReturnType<typeof spawn> | undefined;
  return {
    port,
    tcpPort,
    run: send,
    insert: async (sql, rows, search = {}) => void (await send(rows, { ...search, query: sql })),
    async start() {
      const one = spawn(PROGRAM, [`--config-file=${join(folder, 'config.xml')}`], {
        cwd: folder,
        stdio: 'ignore',
      });
      child = one;
      let hasEnded = false;
      ended = new Promise((resolve) =>
        one.once('exit', () => {
          hasEnded = true;
          resolve();
        }),
      );
      for (let tries = 0; ; tries++) {
        try {
          await send('select 1');
          return;
        } catch (error) {
          if (hasEnded || tries > TRIES) throw error;
          await new Promise((resume) => setTimeout(resume, 100));
        }
      }
    },
    async stop(signal = 'SIGTERM') {
      child?.kill(signal);
      await ended;
    },
  };
}
