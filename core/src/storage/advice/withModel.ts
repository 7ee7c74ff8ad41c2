import type { Model, Partition, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import { ModelData } from '../../query/index.ts';
import { retyped } from '../../shape/index.ts';
import { tableLoader } from '../../sources/index.ts';
import { partedAs } from './part.ts';

const isSameRule = (a: Partition, b: Partition | undefined): boolean =>
  b !== undefined && sameName(a.by, b.by) && a.every === b.every;

/** The same rows under another model: a table whose source has another name now has the rows that it had. */
export function withModel(data: ModelData, model: Model): ModelData {
  const isSame = (a: Table, b: Table) => JSON.stringify(a.source) === JSON.stringify(b.source);
  const rowsOf = (table: Table) => {
    const { tables } = data.model;
    const had =
      tables.find((t) => sameName(t.name, table.name) && isSame(t, table)) ??
      tables.find((t) => isSame(t, table));
    const rows = data.table((had ?? table).name);
    const now = { ...retyped(rows, table.columns), name: table.name };
    const { partition } = table;
    return partition && !isSameRule(partition, had?.partition) ? partedAs(now, partition) : now;
  };
  // The rows that there are have been corrected already.
  const load = tableLoader(model, data.today, rowsOf, undefined, () => false);
  return new ModelData(model, load, data.today, data.executor);
}
