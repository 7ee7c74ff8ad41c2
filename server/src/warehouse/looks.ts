import type { ColumnFacts, RowPage } from '@crease/contract';
import type { Table } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { missingColumns } from './relations.ts';
import type { ModelOnWarehouse } from './warehouse.ts';

const tableOf = (on: ModelOnWarehouse, name: string): Table => on.data.modelTable(name);

/** What screens show of the columns of a table that is passed through; nothing of it is held. */
export async function columnFactsOn(on: ModelOnWarehouse, name: string): Promise<ColumnFacts[]> {
  const table = tableOf(on, name);
  const facts: ColumnFacts[] = [];
  for (const { name: column } of table.columns) {
    try {
      const found = await on.look.figures(table.name, column);
      const frequent = [...found.frequent];
      facts.push({ ...found, frequent, encoding: 'passed through', bytes: 0, distribution: [] });
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      facts.push({ name: column, fault: error.message });
    }
  }
  return facts;
}

/** A page of the rows of a table that is passed through; columns that the database lacks are left out. */
export async function rowPageOn(
  on: ModelOnWarehouse,
  name: string,
  offset: number,
  count: number,
): Promise<RowPage> {
  const table = tableOf(on, name);
  const place = on.places.get(table.name.toLowerCase());
  const missing = new Set(place ? missingColumns(table, place) : []);
  const columns = table.columns.filter((c) => !missing.has(c.name));
  const names = columns.map((c) => c.name);
  const { rows, total } = await on.look.page(table.name, names, offset, count);
  return { columns: columns.map((c) => ({ name: c.name, type: c.type })), rows, total };
}
