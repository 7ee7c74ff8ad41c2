import type { TableData } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import type { RowSetting } from './kind.ts';
import { sourceKind } from './kinds.ts';

/** Rows of a table that needs neither a file nor a database; undefined for any other. */
const ownRows = (table: Table, setting: RowSetting): TableData | undefined =>
  table.source && sourceKind(table.source).rows?.(table, table.source, setting);

/**
 * Rows of a model's tables by name, each made once. `stored` gives the rows of a table that has its own;
 * `today` is in days since 1970-01-01. `kept` may have rows that need no file from an earlier time, or makes
 * them. The loader throws DataError for an unknown table and where tables are derived from each other in a
 * circle.
 */
export function tableLoader(
  model: Model,
  today: number,
  stored: (table: Table) => TableData,
  kept: (table: Table, make: () => TableData | undefined) => TableData | undefined = (_, make) => make(),
): (name: string) => TableData {
  const made = new Map<string, TableData>();
  /** Tables whose steps are being run: one that is asked for again is derived from itself. */
  const open: string[] = [];
  const load = (wanted: string): TableData => {
    const table = model.tables.find((t) => sameName(t.name, wanted));
    if (!table) throw new DataError(`the model has no table "${wanted}"`);
    const { name } = table;
    const known = made.get(name);
    if (known) return known;
    if (open.includes(name))
      throw new DataError(
        `the tables are derived from each other in a circle: ${[...open, name].join(' → ')}`,
      );
    open.push(name);
    try {
      const rows = kept(table, () => ownRows(table, { model, table: load, today })) ?? stored(table);
      made.set(name, rows);
      return rows;
    } finally {
      open.pop();
    }
  };
  return load;
}
