import { execFileSync, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createConnection } from 'mysql2/promise';
import type { Connection } from 'mysql2/promise';
import { columnValues } from '@crease/core/columns';
import type { ModelData } from '@crease/core/query';
import { quoted } from '@crease/core/sql';
import type { DataType, Value } from '@crease/core/values';
import { toText } from '@crease/core/values';
import type { MariadbPlace } from '../src/databases/mariadb.ts';
import { freePort } from './freePort.ts';

/** MariaDB for a test of its own, on the loopback address. */
export interface MariadbServer {
  readonly connection: Connection;
  readonly place: MariadbPlace;
  stop(): Promise<void>;
}

const PASSWORD = 'of-this-test-only';

/** Starts a server over an empty folder, as a user who is not root. */
export async function startMariadb(): Promise<MariadbServer> {
  const isRoot = process.getuid?.() === 0;
  const user = isRoot ? ['--user=mysql'] : [];
  if (!existsSync('/usr/sbin/mariadbd'))
    throw new Error('MariaDB is not installed: run tools/setup.sh --tests');
  const folder = mkdtempSync('/tmp/crease-mariadb-');
  if (isRoot) execFileSync('chown', ['mysql', folder]);
  const data = join(folder, 'data');
  // The folder for what passes may belong to whoever runs the tests.
  const passing = `--tmpdir=${folder}`;
  execFileSync(
    'mariadb-install-db',
    [
      '--no-defaults',
      `--datadir=${data}`,
      passing,
      '--auth-root-authentication-method=normal',
      '--skip-test-db',
      ...user,
    ],
    { stdio: ['ignore', 'ignore', 'pipe'] },
  );
  const port = await freePort();
  const socket = join(folder, 'socket');
  const server = spawn(
    '/usr/sbin/mariadbd',
    [
      ...[
        '--no-defaults',
        `--datadir=${data}`,
        passing,
        `--socket=${socket}`,
        `--pid-file=${join(folder, 'pid')}`,
        ...user,
      ],
      ...[
        `--port=${port}`,
        '--bind-address=127.0.0.1',
        '--skip-log-bin',
        '--innodb-flush-log-at-trx-commit=0',
      ],
    ],
    { stdio: 'ignore' },
  );
  const ended = new Promise<void>((resolve) => server.once('exit', () => resolve()));
  const root = await connected(socket);
  await root.query(`create database warehouse character set utf8mb4`);
  await root.query(`create user modeler@'127.0.0.1' identified by '${PASSWORD}'`);
  await root.query(`grant all on *.* to modeler@'127.0.0.1' with grant option`);
  await root.end();
  const place = { host: '127.0.0.1', port, database: 'warehouse', user: 'modeler', password: PASSWORD };
  const connection = await createConnection({ ...place, multipleStatements: true, charset: 'utf8mb4' });
  await connection.query(`set sql_mode = concat(@@sql_mode, ',ANSI_QUOTES,NO_BACKSLASH_ESCAPES')`);
  return {
    connection,
    place,
    stop: async () => {
      await connection.end();
      server.kill('SIGTERM');
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** The first connection, as soon as the server takes one. */
async function connected(socketPath: string): Promise<Connection> {
  for (let tries = 0; ; tries++) {
    try {
      return await createConnection({ socketPath, user: 'root' });
    } catch (error) {
      if (tries > 300) throw error;
      await new Promise((resume) => setTimeout(resume, 100));
    }
  }
}

const typeText = (type: DataType): string =>
  type.kind === 'decimal'
    ? `decimal(${type.precision}, ${type.scale})`
    : ({ integer: 'bigint', text: 'longtext', timestamp: 'datetime(6)', boolean: 'tinyint(1)' }[
        type.kind as string
      ] ?? type.kind);

const literal = (value: Value, type: DataType): string => {
  if (value === null) return 'null';
  if (type.kind === 'boolean') return value ? '1' : '0';
  return `'${toText(value, type).replaceAll("'", "''")}'`;
};

/** Writes the rows of a model's tables to a database as a warehouse would have them: without keys. */
export async function writeMariadb(connection: Connection, database: string, data: ModelData): Promise<void> {
  await connection.query(`create database ${quoted(database)} character set utf8mb4`);
  for (const declared of data.model.tables) {
    const rows = data.table(declared.name);
    const stored = new Set(declared.columns.filter((c) => c.formula === undefined).map((c) => c.name));
    const columns = [...rows.columns.values()].filter((c) => stored.has(c.name));
    const name = `${quoted(database)}.${quoted(declared.name)}`;
    const listed = columns.map((c) => `${quoted(c.name)} ${typeText(c.type)}`).join(', ');
    await connection.query(`create table ${name} (${listed})`);
    const lines = Array.from(
      { length: rows.rowCount },
      (_, row) => `(${columns.map((c) => literal(columnValues(c)[c.codes[row]!]!, c.type)).join(', ')})`,
    );
    if (lines.length > 0) await connection.query(`insert into ${name} values ${lines.join(', ')}`);
  }
}
