import type pg from 'pg';
import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { quoted } from '@crease/core/sql';
import { rightsOn } from './postgresqlCatalog.ts';
import type { PostgresqlTarget, View, Work } from './postgresqlWork.ts';

/** Takes the views of Crease away that no others hang on; gives what makes rights on them again. */
export async function dropViews(
  client: pg.Client,
  { recorded, views }: Pick<Work, 'recorded' | 'views'>,
): Promise<string[]> {
  const rights: string[] = [];
  for (const { kind, schema, name } of recorded) {
    const view = views.find((v) => v.schema === schema && v.name === name);
    if (kind !== 'view' || view?.isHeld) continue;
    if (view) rights.push(...(await rightsOn(client, schema, name)));
    await client.query(`drop view if exists ${quoted(schema)}.${quoted(name)}`);
  }
  return rights;
}

/** Makes the views of audiences, and gives the rights that the target has by name. */
export async function makeViews(
  client: pg.Client,
  { schema: own, grant }: PostgresqlTarget['target'],
  views: readonly View[],
): Promise<void> {
  // The statements of kept trials name tables alone; a view keeps the tables that it found.
  await client.query(`set local search_path = ${quoted(own)}`);
  for (const { schema, name, sql, isHeld, comment: text } of views) {
    await client.query(`create schema if not exists ${quoted(schema)}`);
    if (!isHeld) await client.query(sql);
    if (text !== '')
      await client.query(`comment on view ${quoted(schema)}.${quoted(name)} is ${literal(text)}`);
  }
  for (const [audience, role] of Object.entries(grant ?? {})) {
    const theirs = views.filter((v) => sameName(v.audience, audience));
    for (const schema of new Set(theirs.map((v) => v.schema)))
      await client.query(
        `grant usage on schema ${quoted(schema)} to ${quoted(role)}; grant select on all tables in schema ${quoted(schema)} to ${quoted(role)}`,
      );
  }
}

const literal = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** Titles and descriptions of a table and its columns. */
export async function comment(client: pg.Client, place: string, table: Table): Promise<void> {
  const said = (...texts: (string | undefined)[]) => {
    const some = texts.filter((text) => text !== undefined && text !== '');
    return some.length > 0 ? literal(some.join(': ')) : 'null';
  };
  const columns = table.columns.map(
    (c) => `comment on column ${place}.${quoted(c.name)} is ${said(c.title, c.description)}`,
  );
  const own = `comment on table ${place} is ${said(table.title, table.description ?? table.grain)}`;
  await client.query([own, ...columns].join('; '));
}
