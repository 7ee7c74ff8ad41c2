import type { Client } from 'pg';
import type { ModelData } from '@crease/core/query';
import { quoted } from '@crease/core/sql';
import { copyRows } from '../src/release/postgresqlRows.ts';

const TYPES: Readonly<Record<string, string>> = {
  integer: 'bigint',
  double: 'double precision',
  text: 'text',
  boolean: 'boolean',
  date: 'date',
  timestamp: 'timestamp',
};

/** Writes the rows of a model's tables to a schema as a warehouse would have them: no keys, no references. */
export async function writeWarehouse(client: Client, schema: string, data: ModelData): Promise<void> {
  await client.query(`create schema ${quoted(schema)}`);
  for (const declared of data.model.tables) {
    const table = { ...declared, columns: declared.columns.filter((c) => c.formula === undefined) };
    const rows = data.table(table.name);
    const columns = [...rows.columns.values()];
    const types = columns.map(({ name, type }) => {
      const sql = type.kind === 'decimal' ? `numeric(${type.precision}, ${type.scale})` : TYPES[type.kind]!;
      return `${quoted(name)} ${sql}`;
    });
    const place = `${quoted(schema)}.${quoted(table.name)}`;
    await client.query(`create table ${place} (${types.join(', ')})`);
    await copyRows(client, place, { table, columns, rowCount: rows.rowCount, sums: {}, digest: '' });
  }
}
