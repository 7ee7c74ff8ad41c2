import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Client } from 'pg';
import { freePort } from './freePort.ts';

/** PostgreSQL for a test of its own, on the loopback address. */
export interface Cluster {
  readonly client: Client;
  /** Where it is, and as whom it may be asked. */
  readonly place: {
    readonly host: string;
    readonly port: number;
    readonly user: string;
    readonly password: string;
    readonly database: string;
  };
  stop(): Promise<void>;
}

const PASSWORD = 'of-this-test-only';

/** Programs of Debian's package, which are not on the path; PG_BIN names another place. */
function programs(): string {
  if (process.env.PG_BIN) return process.env.PG_BIN;
  const root = '/usr/lib/postgresql';
  const versions = existsSync(root) ? readdirSync(root).sort((a, b) => Number(b) - Number(a)) : [];
  if (versions.length === 0) throw new Error('PostgreSQL is not installed: run tools/setup.sh --tests');
  return join(root, versions[0]!, 'bin');
}

/** Starts a server over an empty folder, as a user who is not root: the server refuses to run as root. */
export async function startPostgresql(): Promise<Cluster> {
  const bin = programs();
  const isRoot = process.getuid?.() === 0;
  // The server's user must reach the folder, whatever the caller's own temporary folder is.
  const folder = mkdtempSync('/tmp/crease-postgresql-');
  const run = (program: string, ...parameters: string[]) => {
    const command = [join(bin, program), ...parameters];
    const [file, ...rest] = isRoot ? ['runuser', '-u', 'postgres', '--', ...command] : command;
    execFileSync(file!, rest, { cwd: '/', stdio: ['ignore', 'ignore', 'pipe'] });
  };
  const password = join(folder, 'password');
  writeFileSync(password, PASSWORD);
  if (isRoot) execFileSync('chown', ['-R', 'postgres', folder]);
  const data = join(folder, 'data');
  run(
    'initdb',
    '-D',
    data,
    '-U',
    'postgres',
    '-E',
    'UTF8',
    '--locale=C.UTF-8',
    '--auth=scram-sha-256',
    `--pwfile=${password}`,
    '--no-sync',
  );
  const port = await freePort();
  const settings = `-h 127.0.0.1 -p ${port} -k ${folder} -c fsync=off -c full_page_writes=off -c synchronous_commit=off`;
  run('pg_ctl', '-D', data, '-l', join(folder, 'log'), '-w', '-t', '60', '-s', '-o', settings, 'start');
  const place = { host: '127.0.0.1', port, user: 'postgres', password: PASSWORD, database: 'postgres' };
  const client = new Client(place);
  await client.connect();
  return {
    client,
    place,
    stop: async () => {
      await client.end();
      run('pg_ctl', '-D', data, '-m', 'fast', '-w', '-s', 'stop');
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
