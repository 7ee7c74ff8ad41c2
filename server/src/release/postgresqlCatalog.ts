import type pg from 'pg';
import { quoted } from '@crease/core/sql';

/** A relation of the catalog, with its columns as text. */
export interface Relation {
  readonly schema: string;
  readonly name: string;
  readonly kind: string;
  readonly columns: string;
}

export const keyOf = ({ schema, name }: { schema: string; name: string }): string =>
  `${schema}.${name}`.toLowerCase();
export const isTable = ({ kind }: Relation): boolean => kind === 'r' || kind === 'p';

export async function relationsOf(client: pg.Client, schemas: readonly string[]): Promise<Relation[]> {
  const { rows } = await client.query<Relation>(
    `select n.nspname as schema, c.relname as name, c.relkind as kind,
       coalesce((select string_agg(quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod) || case when a.attnotnull then ' not null' else '' end, ', ' order by a.attnum)
         from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped), '') as columns
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = any ($1) and c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')`,
    [schemas],
  );
  return rows;
}

/** What hangs on a relation: of others in words, and of those that Crease made by their keys. */
export interface Hanging {
  readonly others: readonly string[];
  readonly ours: readonly string[];
}

/** What others have hung on a table: views, foreign keys, indexes, triggers, rights. */
export async function hangingOn(
  client: pg.Client,
  schema: string,
  table: string,
  ours: ReadonlySet<string>,
): Promise<Hanging> {
  const { rows } = await client.query<{ what: string; key: string }>(
    `with t as (select c.oid, c.relacl from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = $1 and c.relname = $2)
     select distinct 'the view ' || v.oid::regclass as what, n.nspname || '.' || v.relname as key
       from t join pg_depend d on d.refclassid = 'pg_class'::regclass and d.refobjid = t.oid and d.classid = 'pg_rewrite'::regclass
         join pg_rewrite r on r.oid = d.objid join pg_class v on v.oid = r.ev_class join pg_namespace n on n.oid = v.relnamespace
     union all select 'the foreign key ' || k.conname || ' of ' || k.conrelid::regclass, n.nspname || '.' || c.relname
       from t join pg_constraint k on k.confrelid = t.oid and k.contype = 'f' join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     union all select 'the index ' || i.indexrelid::regclass, ''
       from t join pg_index i on i.indrelid = t.oid where not exists (select 1 from pg_constraint k where k.conindid = i.indexrelid and k.contype in ('p', 'u', 'x'))
     union all select 'the trigger ' || g.tgname, '' from t join pg_trigger g on g.tgrelid = t.oid and not g.tgisinternal
     union all select 'rights of others', '' from t where t.relacl is not null`,
    [schema, table],
  );
  const isOurs = ({ key }: { key: string }) => key !== '' && ours.has(key.toLowerCase());
  return {
    others: rows.filter((row) => !isOurs(row)).map(({ what }) => what),
    ours: rows.filter(isOurs).map(({ key }) => key.toLowerCase()),
  };
}

/** Names of a list of columns as the catalog gives it. */
export const namesIn = (columns: string): string[] =>
  [...columns.matchAll(/(?:^|, )("(?:[^"]|"")+"|[^\s",]+) /g)].map(([, name]) =>
    name!.startsWith('"') ? name!.slice(1, -1).replaceAll('""', '"') : name!,
  );

/**
 * Statements that give again what others may do with a view, once it has been made anew: rights that somebody
 * gave by hand are not to be lost by it.
 */
export async function rightsOn(client: pg.Client, schema: string, view: string): Promise<string[]> {
  const { rows } = await client.query<{ role: string; privilege: string; grantable: boolean }>(
    `select case when a.grantee = 0 then 'public' else a.grantee::regrole::text end as role,
       a.privilege_type as privilege, a.is_grantable as grantable
     from pg_class c join pg_namespace n on n.oid = c.relnamespace, aclexplode(c.relacl) a
     where n.nspname = $1 and c.relname = $2 and a.grantee <> c.relowner`,
    [schema, view],
  );
  return rows.map(
    ({ role, privilege, grantable }) =>
      `grant ${privilege} on ${quoted(schema)}.${quoted(view)} to ${role}${grantable ? ' with grant option' : ''}`,
  );
}
