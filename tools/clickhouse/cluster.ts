import { mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Column, TableData } from '../../core/src/columns/index.ts';
import { columnValues } from '../../core/src/columns/index.ts';
import type { Model } from '../../core/src/model/index.ts';
import { isDerived } from '../../core/src/model/index.ts';
import type { DataType, Value } from '../../core/src/values/index.ts';
import { formatDate, formatExact, toJson } from '../../core/src/values/index.ts';
import { freePort } from '../../server/test/freePort.ts';
import type { Server } from './server.ts';
import { serverAt, USER } from './server.ts';

/** What the tables of a model are called in a cluster. */
const DATABASE = 'lending';
const CLUSTER = 'crease';
/** Rows that are sent at a time. */
const BATCH = 50_000;

/** One server that is asked, and others among which the rows of facts are spread. */
export interface Cluster {
  readonly coordinator: Server;
  readonly nodes: readonly Server[];
  readonly place: { host: string; port: number; database: string; user: string; password: string };
  /**
   * Writes the tables of a model that have rows: dimensions to every server, facts spread over the nodes by a
   * hash of their key, so that each row lies on one of them.
   */
  write(model: Model, rowsOf: (table: string) => TableData | undefined): Promise<void>;
  /** Ends all servers and removes what they hold. */
  stop(): Promise<void>;
}

/** Starts a coordinator and some nodes over a folder of its own. Throws Error where ClickHouse is missing. */
export async function startCluster(nodes: number, port?: number): Promise<Cluster> {
  const folder = mkdtempSync('/tmp/crease-cluster-');
  const password = 'of-this-cluster-only';
  const ports: number[] = [];
  while (ports.length < 2 * nodes + 2) ports.push(await freePort());
  const shard = (i: number) =>
    `<shard><replica><host>127.0.0.1</host><port>${ports[2 * i + 3]}</port><user>${USER}</user><password>${password}</password></replica></shard>`;
  const shards = Array.from({ length: nodes }, (_, i) => shard(i)).join('');
  const more = `<remote_servers><${CLUSTER}>${shards}</${CLUSTER}></remote_servers>`;
  const servers: Server[] = [];
  try {
    for (let i = 0; i <= nodes; i++)
      servers.push(
        serverAt({
          folder: join(folder, i === 0 ? 'coordinator' : `node${i}`),
          port: i === 0 && port !== undefined ? port : ports[2 * i]!,
          ...{ tcpPort: ports[2 * i + 1]!, password, more },
        }),
      );
    await Promise.all(servers.map((server) => server.start()));
    for (const server of servers) await server.run(`create database ${DATABASE}`);
  } catch (error) {
    await Promise.all(servers.map((server) => server.stop()));
    rmSync(folder, { recursive: true, force: true });
    throw error;
  }
  const [coordinator, ...others] = servers as [Server, ...Server[]];
  return {
    coordinator,
    nodes: others,
    place: { host: '127.0.0.1', port: coordinator.port, database: DATABASE, user: USER, password },
    async write(model, rowsOf) {
      for (const table of model.tables) {
        const { name, role, key } = table;
        const rows = isDerived(table) ? undefined : rowsOf(name);
        if (!rows) continue;
        const columns = [...rows.columns.values()];
        const declared = columns.map((c) => `${quoted(c.name)} ${typeName(c)}`).join(', ');
        const stored = `(${declared}) engine = MergeTree order by tuple()`;
        if (role !== 'fact') {
          for (const server of servers) {
            await server.run(`create table ${DATABASE}.${quoted(name)} ${stored}`);
            await send(server, name, columns, rows.rowCount);
          }
          continue;
        }
        const local = `${name}_rows`;
        for (const node of others) await node.run(`create table ${DATABASE}.${quoted(local)} ${stored}`);
        const spread = (key ?? columns.slice(0, 1).map((c) => c.name)).map(
          (column) => `ifNull(toString(${quoted(column)}), '')`,
        );
        await coordinator.run(
          `create table ${DATABASE}.${quoted(name)} (${declared}) engine = Distributed(${CLUSTER}, ${DATABASE}, ${quoted(local)}, cityHash64(${spread.join(', ')}))`,
        );
        await send(coordinator, name, columns, rows.rowCount);
      }
    },
    async stop() {
      await Promise.all(servers.map((server) => server.stop()));
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Sends the rows of a table, and waits until they lie where they belong. */
async function send(
  server: Server,
  table: string,
  columns: readonly Column[],
  rowCount: number,
): Promise<void> {
  const texts = columns.map((c) => columnValues(c).map((value) => cellText(value, c.type)));
  for (let from = 0; from < rowCount; from += BATCH) {
    const lines = Array.from({ length: Math.min(BATCH, rowCount - from) }, (_, i) =>
      columns.map((c, at) => texts[at]![c.codes[from + i]!]!).join('\t'),
    );
    await server.insert(
      `insert into ${DATABASE}.${quoted(table)} (${columns.map((c) => quoted(c.name)).join(', ')}) format TabSeparated`,
      `${lines.join('\n')}\n`,
      { insert_distributed_sync: '1' },
    );
  }
}

/** A name, in which a backslash begins an escape. */
const quoted = (name: string): string => `"${name.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;

/** Days that its type for them has: 1970-01-01 to 2105-12-31. */
const LAST_DAY = 49_672;

/** Every column takes nulls: what a key is, is for the claims to say. Days beyond its own are texts. */
function typeName(column: Column): string {
  const { type } = column;
  const fits = (day: Value) => day === null || ((day as number) >= 0 && (day as number) <= LAST_DAY);
  const of = {
    integer: 'Int64',
    decimal: type.kind === 'decimal' ? `Decimal(${Math.max(type.precision, 18)}, ${type.scale})` : '',
    double: 'Float64',
    text: 'String',
    boolean: 'UInt8',
    date: type.kind === 'date' && columnValues(column).every(fits) ? 'Date' : 'String',
    timestamp: "DateTime('UTC')",
  }[type.kind];
  return `Nullable(${of})`;
}

/** A value of a line; the null of the format is \N. */
function cellText(value: Value, type: DataType): string {
  if (value === null) return '\\N';
  switch (type.kind) {
    case 'boolean':
      return value === true ? '1' : '0';
    case 'date':
      return formatDate(value as number);
    case 'decimal':
      return formatExact(value as number | bigint, type.scale);
    default: {
      const text = String(toJson(value, type));
      const plain = type.kind === 'timestamp' ? text.replace('T', ' ').replace(/\.\d+$/, '') : text;
      return plain.replace(
        /[\\\t\n\r]/g,
        (c) => ({ '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' })[c]!,
      );
    }
  }
}
