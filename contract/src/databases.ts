import * as z from 'zod';
import { endpoint } from './endpoint.ts';
import { uploadStateSchema } from './intake.ts';
import { doneSchema } from './ofCore.ts';

const connectionName = z
  .string()
  .trim()
  .min(1, 'a connection needs a name')
  .max(60)
  .regex(/^[\p{L}\p{N}_ -]+$/u, 'a name of letters, digits, blanks, - and _');

const serverFields = {
  name: connectionName,
  host: z.string().trim().min(1, 'the host is missing').max(255),
  database: z.string().min(1, 'the database is missing').max(64),
  user: z.string().min(1).max(80).optional(),
  password: z.string().max(1000).optional(),
};

/**
 * A database that tables are read from. Without `user` it has the workspace's account; without `password` the
 * one that is kept stays.
 */
export const connectionRequest = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('postgresql'),
    ...serverFields,
    port: z.int().min(1).max(65535).default(5432),
    clearPassword: z
      .boolean()
      .optional()
      .describe('whether the password may be sent as it is to a server that asks for that'),
  }),
  z.strictObject({
    kind: z.literal('mariadb'),
    ...serverFields,
    port: z.int().min(1).max(65535).default(3306),
  }),
  z.strictObject({
    kind: z.literal('clickhouse'),
    ...serverFields,
    port: z.int().min(1).max(65535).default(8123).describe('of its HTTP interface'),
    clearPassword: z
      .boolean()
      .optional()
      .describe('whether the password may be sent as it is to a server on another machine'),
  }),
  z.strictObject({
    kind: z.literal('sqlite'),
    name: connectionName,
    file: z.string().trim().min(1, 'the file is missing').max(1000),
  }),
  z.strictObject({
    kind: z.literal('duckdb'),
    name: connectionName,
    file: z
      .string()
      .trim()
      .min(1, 'the file or folder is missing')
      .max(1000)
      .describe('a database file of DuckDB, a Parquet file, or a folder of Parquet files'),
  }),
]);
export type ConnectionRequest = z.input<typeof connectionRequest>;

/** The account of all connections that have none of their own. */
export const accountRequest = z.strictObject({
  user: z.string().trim().min(1).max(63),
  password: z.string().max(1000).optional(),
});

const serverStateFields = {
  name: z.string(),
  host: z.string(),
  port: z.int(),
  database: z.string(),
  account: z
    .strictObject({ user: z.string(), own: z.boolean(), hasPassword: z.boolean() })
    .nullable()
    .describe("whose account it is asked as: its own, or the workspace's; null where neither is there"),
};

const connectionStateSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('postgresql'),
    ...serverStateFields,
    clearPassword: z.boolean().optional(),
  }),
  z.strictObject({ kind: z.literal('mariadb'), ...serverStateFields }),
  z.strictObject({
    kind: z.literal('clickhouse'),
    ...serverStateFields,
    clearPassword: z.boolean().optional(),
  }),
  z.strictObject({ kind: z.literal('sqlite'), name: z.string(), file: z.string() }),
  z.strictObject({ kind: z.literal('duckdb'), name: z.string(), file: z.string() }),
]);
/** A connection as screens see it: never with a password. */
export type ConnectionState = z.infer<typeof connectionStateSchema>;

const connectionsStateSchema = z.strictObject({
  connections: z.array(connectionStateSchema),
  account: z.strictObject({ user: z.string(), hasPassword: z.boolean() }).nullable(),
});
export type ConnectionsState = z.infer<typeof connectionsStateSchema>;

const databaseTableSchema = z.strictObject({
  schema: z.string().nullable(),
  table: z.string(),
  kind: z.enum(['table', 'view']),
  rows: z.int().nullable().describe('as far as the database knows without counting'),
  columns: z.int(),
  readable: z.boolean(),
  comment: z.string().nullable().describe('on the table'),
  comments: z.record(z.string(), z.string()).describe('on columns, by their names there'),
  key: z.array(z.string()).describe('declared'),
  references: z.array(
    z.strictObject({
      columns: z.array(z.string()),
      schema: z.string().nullable(),
      table: z.string(),
      toColumns: z.array(z.string()),
    }),
  ),
});
/** A table or view of a database. */
export type DatabaseTable = z.infer<typeof databaseTableSchema>;

const rightsStateSchema = z.strictObject({
  account: z.string(),
  excess: z.array(z.string()).describe('what it may do beyond reading, as far as was looked'),
  beyond: z.array(z.string()).describe('other tables that it can read, by schema and name'),
  sql: z.string().describe('for an account that may do no more'),
});
/**
 * What an account may do beyond reading certain tables, as far as was looked, and the SQL for one that may
 * not.
 */
export type RightsState = z.infer<typeof rightsStateSchema>;

const testStateSchema = z.strictObject({
  server: z.string().describe('what answered, by its own name and version'),
});
export type TestState = z.infer<typeof testStateSchema>;

const namedTable = z.strictObject({ schema: z.string().optional(), table: z.string().min(1) });

/** Databases that tables are read from. */
export const databases = {
  list: endpoint({
    method: 'GET',
    path: '/connections',
    says: 'Connections and the account of the workspace',
    answer: connectionsStateSchema,
  }),
  put: endpoint({
    method: 'PUT',
    path: '/connections',
    says: 'Adds a connection, or changes the one of that name',
    request: connectionRequest,
    answer: connectionsStateSchema,
  }),
  setAccount: endpoint({
    method: 'PUT',
    path: '/account',
    says: 'Sets the account of connections without one of their own',
    request: accountRequest,
    answer: connectionsStateSchema,
  }),
  remove: endpoint({
    method: 'DELETE',
    path: '/connections/:connection',
    says: 'Deletes a connection',
    answer: doneSchema,
  }),
  test: endpoint({
    method: 'POST',
    path: '/connections/:connection/test',
    says: 'Connects, and tells what answered',
    answer: testStateSchema,
  }),
  tables: endpoint({
    method: 'GET',
    path: '/connections/:connection/tables',
    says: 'Tables and views of a database',
    answer: z.array(databaseTableSchema),
  }),
  rights: endpoint({
    method: 'POST',
    path: '/connections/:connection/rights',
    says: 'What the account may do beyond reading certain tables',
    request: z.strictObject({ tables: z.array(namedTable).max(5000) }),
    answer: rightsStateSchema,
  }),
  sample: endpoint({
    method: 'POST',
    path: '/connections/:connection/sample',
    says: 'Reads a sample of tables, to be previewed like files',
    request: z.strictObject({ tables: z.array(namedTable).min(1).max(500) }),
    answer: z.array(uploadStateSchema),
  }),
};
