import { rmSync } from 'node:fs';
import Database from 'better-sqlite3';
import { columnValues } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { sameName, fileOf } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { quoted, sqlite } from '@crease/core/sql';
import type { DataType, Value } from '@crease/core/values';
import { formatType, toText } from '@crease/core/values';
import { lookForInterruption, ROWS_BETWEEN_LOOKS } from '@crease/core/query';

/**
 * Writes the rows of all tables that come from files to a new SQLite file, as a circulation system might keep
 * them: keys are declared where they hold, references whether they hold or not, for SQLite lets them be.
 */
export function writeSqlite(data: ModelData, file: string): void {
  rmSync(file, { force: true });
  const database = new Database(file);
  try {
    database.pragma('foreign_keys = off');
    for (const table of data.model.tables) if (fileOf(table)) writeTable(database, data, table);
  } finally {
    database.close();
  }
}

function writeTable(database: Database.Database, data: ModelData, table: Table): void {
  const rows = data.table(table.name);
  const columns = [...rows.columns.values()];
  const declared = columns.map((c) => `${quoted(c.name)} ${formatType(c.type)}`);
  const key = table.key ?? [];
  const holds = key.length === 1 && data.column(table.name, key[0]!).distinct === rows.rowCount;
  if (holds) declared.push(`primary key (${quoted(key[0]!)})`);
  declared.push(...references(data.model, table));
  database.exec(`create table ${quoted(table.name)} (${declared.join(', ')})`);
  const insert = database.prepare(
    `insert into ${quoted(table.name)} values (${columns.map(() => '?').join(', ')})`,
  );
  const shown = columns.map((c) => columnValues(c).map((value) => stored(value, c.type)));
  database.transaction(() => {
    for (let row = 0; row < rows.rowCount; row++) {
      if (row % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
      insert.run(...columns.map((c, i) => shown[i]![c.codes[row]!]!));
    }
  })();
}

const references = (model: Model, table: Table): string[] =>
  (model.relationships ?? [])
    .filter((r) => sameName(r.from.table, table.name))
    .filter((r) => {
      const to = model.tables.find((t) => sameName(t.name, r.to.table));
      return (
        to !== undefined &&
        fileOf(to) !== undefined &&
        to.key?.length === 1 &&
        sameName(to.key[0]!, r.to.columns[0]!)
      );
    })
    .map(
      (r) =>
        `foreign key (${r.from.columns.map(quoted).join(', ')}) references ${quoted(r.to.table)} (${r.to.columns.map(quoted).join(', ')})`,
    );

const stored = (value: Value, type: DataType): null | number | bigint | string =>
  value === null || type.kind !== 'decimal' ? sqlite.bound(value, type) : toText(value, type);
