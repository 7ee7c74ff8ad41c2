import { DuckDBInstance } from '@duckdb/node-api';
import { columnValues } from '@crease/core/columns';
import type { ModelData } from '@crease/core/query';
import { quoted } from '@crease/core/sql';
import type { DataType, Value } from '@crease/core/values';
import { toText } from '@crease/core/values';

const typeText = (type: DataType): string =>
  type.kind === 'decimal'
    ? `decimal(${type.precision}, ${type.scale})`
    : ({ integer: 'bigint', text: 'varchar' }[type.kind as string] ?? type.kind);

const literal = (value: Value, type: DataType): string =>
  value === null ? 'null' : `'${toText(value, type).replaceAll("'", "''")}'`;

/** Runs statements on a file of DuckDB, which is made where it is not there. */
export async function onDuckdb(file: string, statements: readonly string[]): Promise<void> {
  const instance = await DuckDBInstance.create(file);
  const connection = await instance.connect();
  try {
    for (const statement of statements) await connection.run(statement);
  } finally {
    connection.closeSync();
    instance.closeSync();
  }
}

/** Writes the rows of a model's tables to a file of DuckDB as a warehouse would have them: without keys. */
export async function writeDuckdb(file: string, data: ModelData): Promise<void> {
  const statements: string[] = [];
  for (const declared of data.model.tables) {
    const rows = data.table(declared.name);
    const stored = new Set(declared.columns.filter((c) => c.formula === undefined).map((c) => c.name));
    const columns = [...rows.columns.values()].filter((c) => stored.has(c.name));
    const name = quoted(declared.name);
    const listed = columns.map((c) => `${quoted(c.name)} ${typeText(c.type)}`).join(', ');
    statements.push(`create table ${name} (${listed})`);
    const lines = Array.from(
      { length: rows.rowCount },
      (_, row) => `(${columns.map((c) => literal(columnValues(c)[c.codes[row]!]!, c.type)).join(', ')})`,
    );
    if (lines.length > 0) statements.push(`insert into ${name} values ${lines.join(', ')}`);
  }
  await onDuckdb(file, statements);
}
