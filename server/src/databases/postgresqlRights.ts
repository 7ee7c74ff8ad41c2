import type { RightsState } from '@crease/contract';
import type pg from 'pg';
import type { TableName } from './reader.ts';
import { quoteIdentifier, tableText } from './reader.ts';

// What an account of PostgreSQL may do beyond reading certain tables: by rights of its own, and by those of
// every role that it is a member of, whether it has them by itself (inherit) or has to take the role first
// (set role).

interface Role {
  readonly oid: string;
  readonly name: string;
  readonly isSelf: boolean;
  readonly rolsuper: boolean;
  readonly rolcreatedb: boolean;
  readonly rolcreaterole: boolean;
  readonly rolreplication: boolean;
  readonly rolbypassrls: boolean;
}

const SUPERUSER = 'do anything on the server: it is a superuser';
const ATTRIBUTES: readonly (readonly [keyof Role, string])[] = [
  ['rolcreatedb', 'make databases'],
  ['rolcreaterole', 'make accounts'],
  ['rolreplication', 'copy the whole server'],
  ['rolbypassrls', 'read past the rules of rows'],
];
/** Roles that every server has (manual, "Predefined Roles"), by what they allow. */
const PREDEFINED: Readonly<Record<string, string>> = {
  pg_read_all_data: 'read every table of every schema (pg_read_all_data)',
  pg_write_all_data: 'write to every table (pg_write_all_data)',
  pg_read_server_files: 'read files of the server (pg_read_server_files)',
  pg_write_server_files: 'write files of the server (pg_write_server_files)',
  pg_execute_server_program: 'run programs on the server (pg_execute_server_program)',
  pg_signal_backend: 'end the work of others (pg_signal_backend)',
  pg_maintain: 'lock and rebuild every table (pg_maintain)',
};
const TABLE_RIGHTS: readonly (readonly [string, string])[] = [
  ['INSERT', 'add rows to'],
  ['UPDATE', 'change rows of'],
  ['DELETE', 'delete rows of'],
  ['TRUNCATE', 'empty'],
  ['TRIGGER', 'put triggers on'],
];
const COLUMN_RIGHTS: readonly (readonly [string, string])[] = [
  ['INSERT', 'fill single columns of'],
  ['UPDATE', 'change single columns of'],
];
const OWN_SCHEMAS = `n.nspname !~ '^pg_' and n.nspname <> 'information_schema'`;

/** What the account of a connection may do beyond reading `tables`. */
export async function postgresqlRights(
  client: pg.Client,
  { user, database }: { user: string; database: string },
  tables: readonly TableName[],
): Promise<RightsState> {
  const { rows: roles } = await client.query<Role>(
    `select oid::text, rolname as name, rolname = current_user as "isSelf", rolsuper, rolcreatedb, rolcreaterole, rolreplication, rolbypassrls
     from pg_roles where pg_has_role(current_user, oid, 'MEMBER') order by rolname`,
  );
  const sql = readerSql(database, tables);
  const self = roles.find((role) => role.isSelf);
  // Everything else follows from that; such an account is a member of every role.
  if (self?.rolsuper) return { account: user, excess: [SUPERUSER], beyond: [], sql };
  const oids = roles.map((role) => role.oid);
  const excess = [
    ...ofRoles(roles),
    ...(await ofDatabase(client, oids)),
    ...(await ofTables(client, oids)),
    ...(await ofFunctions(client, oids)),
  ];
  return { account: user, excess, beyond: await readable(client, oids, tables), sql };
}

/** Attributes are not inherited (manual, "Role Membership"): those of another role come with taking it. */
function ofRoles(roles: readonly Role[]): string[] {
  return roles.flatMap((role) => {
    const predefined = PREDEFINED[role.name];
    if (predefined !== undefined) return [predefined];
    const by = role.isSelf ? '' : ` by taking the role ${role.name}`;
    if (role.rolsuper) return [`do anything on the server${by}`];
    return ATTRIBUTES.filter(([name]) => role[name] === true).map(([, says]) => `${says}${by}`);
  });
}

async function ofDatabase(client: pg.Client, oids: readonly string[]): Promise<string[]> {
  const { rows } = await client.query<{ can: boolean }>(
    `select exists (select 1 from unnest($1::oid[]) r where has_database_privilege(r, current_database(), 'CREATE')) as can`,
    [oids],
  );
  const schemas = await names(
    client,
    `select n.nspname as name from pg_namespace n where ${OWN_SCHEMAS}
       and exists (select 1 from unnest($1::oid[]) r where has_schema_privilege(r, n.oid, 'CREATE')) order by 1`,
    [oids],
  );
  return [
    ...(rows[0]?.can ? ['make schemas in this database'] : []),
    ...(schemas.length > 0 ? [`make tables in ${few(schemas)}`] : []),
  ];
}

const RELATION = `select n.nspname || '.' || c.relname as name from pg_class c join pg_namespace n on n.oid = c.relnamespace`;

async function ofTables(client: pg.Client, oids: readonly string[]): Promise<string[]> {
  const found: string[] = [];
  const anyRole = (test: string) => `exists (select 1 from unnest($1::oid[]) r where ${test})`;
  for (const [right, says] of TABLE_RIGHTS) {
    const held = await names(
      client,
      `${RELATION} where c.relkind in ('r', 'p', 'v', 'f') and ${OWN_SCHEMAS} and ${anyRole('has_table_privilege(r, c.oid, $2)')} order by 1`,
      [oids, right],
    );
    if (held.length > 0) found.push(`${says} ${few(held)}`);
  }
  for (const [right, says] of COLUMN_RIGHTS) {
    const held = await names(
      client,
      `${RELATION} where c.relkind in ('r', 'p', 'v', 'f') and ${OWN_SCHEMAS}
         and ${anyRole('has_any_column_privilege(r, c.oid, $2)')} and not ${anyRole('has_table_privilege(r, c.oid, $2)')} order by 1`,
      [oids, right],
    );
    if (held.length > 0) found.push(`${says} ${few(held)}`);
  }
  const sequences = await names(
    client,
    `${RELATION} where c.relkind = 'S' and ${OWN_SCHEMAS}
       and ${anyRole(`has_sequence_privilege(r, c.oid, 'USAGE') or has_sequence_privilege(r, c.oid, 'UPDATE')`)} order by 1`,
    [oids],
  );
  if (sequences.length > 0) found.push(`move on the sequences ${few(sequences)}`);
  return found;
}

/** Functions that run with the rights of another account, which made them. */
async function ofFunctions(client: pg.Client, oids: readonly string[]): Promise<string[]> {
  const functions = await names(
    client,
    `select n.nspname || '.' || p.proname as name from pg_proc p join pg_namespace n on n.oid = p.pronamespace
     where p.prosecdef and ${OWN_SCHEMAS} and not p.proowner = any ($1::oid[])
       and exists (select 1 from unnest($1::oid[]) r where has_function_privilege(r, p.oid, 'EXECUTE'))
       and exists (select 1 from unnest($1::oid[]) r where has_schema_privilege(r, n.oid, 'USAGE')) order by 1`,
    [oids],
  );
  return functions.length > 0 ? [`act as their maker through ${few(functions)}`] : [];
}

/** Tables that can be read, or single columns of them, and are not among those that were chosen. */
async function readable(
  client: pg.Client,
  oids: readonly string[],
  tables: readonly TableName[],
): Promise<string[]> {
  const chosen = new Set(tables.map((table) => tableText({ ...table, schema: table.schema ?? 'public' })));
  const found = await names(
    client,
    `${RELATION} where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and ${OWN_SCHEMAS}
       and exists (select 1 from unnest($1::oid[]) r where has_schema_privilege(r, n.oid, 'USAGE'))
       and exists (select 1 from unnest($1::oid[]) r where has_any_column_privilege(r, c.oid, 'SELECT')) order by 1`,
    [oids],
  );
  return found.filter((name) => !chosen.has(name));
}

async function names(client: pg.Client, sql: string, values: readonly unknown[]): Promise<string[]> {
  const { rows } = await client.query<{ name: string }>(sql, [...values]);
  return rows.map((row) => row.name);
}

const few = (list: readonly string[]): string =>
  list.length <= 4 ? list.join(', ') : `${list.slice(0, 3).join(', ')} and ${list.length - 3} more`;

/** Makes an account that can read these tables and nothing else. */
function readerSql(database: string, tables: readonly TableName[]): string {
  const schemas = [...new Set(tables.map((t) => t.schema ?? 'public'))];
  return [
    `create role crease_reader login password 'choose one' nosuperuser nocreatedb nocreaterole noreplication;`,
    `alter role crease_reader set default_transaction_read_only = on;`,
    `grant connect on database ${quoteIdentifier(database)} to crease_reader;`,
    ...schemas.map((schema) => `grant usage on schema ${quoteIdentifier(schema)} to crease_reader;`),
    ...tables.map((t) => `grant select on ${qualified(t)} to crease_reader;`),
  ].join('\n');
}

const qualified = ({ schema, table }: TableName): string =>
  schema === undefined ? quoteIdentifier(table) : `${quoteIdentifier(schema)}.${quoteIdentifier(table)}`;
