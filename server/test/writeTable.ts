import type { TableData } from '@crease/core/columns';
import { writeTable as write } from '../src/intake/writeTable.ts';
import type { Replaces, Tables } from '../src/store/index.ts';

/** Stores a table that is in memory and makes it the rows of its key. Gives the part that it is. */
export function writeTable(
  tables: Tables,
  modelId: number,
  key: string,
  table: TableData,
  replaces?: Replaces,
): string {
  const id = write(tables, modelId, key, table, replaces);
  tables.finish(id, table.misfits, replaces);
  return String(id);
}
