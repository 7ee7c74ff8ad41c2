import type { Model, ModelColumn, Table } from '../model/index.ts';
import { isDerived, sameName, stepsOf } from '../model/index.ts';
import type { Step } from '../shape/index.ts';
import { tablesRead } from '../shape/index.ts';
import type { Edit } from './edit.ts';
import { stepsUnder } from './stepsUnder.ts';

/**
 * Gives a table more steps at the end of its own, or puts them between it and its rows (see `stepsUnder`),
 * and says which columns it has then. `read` changes how the rows are read before the steps: by a table put
 * under it, or by the one that its steps begin with and nobody else reads. Undefined where there is nothing
 * to put steps on.
 */
export function moreSteps(
  model: Model,
  table: Table,
  steps: readonly Step[],
  columns: readonly ModelColumn[],
  read: (column: ModelColumn) => ModelColumn = (column) => column,
): Edit | undefined {
  const own = stepsOf(table);
  if (own.length > 0)
    return [
      ...readOtherwise(model, table, read),
      {
        do: 'put-tables',
        name: table.name,
        value: { ...table, source: { steps: [...own, ...steps] as never }, columns: [...columns] },
      },
    ];
  const under = stepsUnder(model, table, steps);
  if (!under) return undefined;
  const plain = columns.map(({ pattern: _, sourceName: __, ...rest }) => rest);
  return [
    {
      do: 'put-tables',
      name: null,
      value: { ...under.staging, columns: under.staging.columns.map(read) },
    },
    { do: 'put-tables', name: table.name, value: { ...under.table, columns: plain } },
  ];
}

/** The edit of the staging table that only this one reads, where columns of it are read otherwise. */
function readOtherwise(model: Model, table: Table, read: (column: ModelColumn) => ModelColumn): Edit {
  const [first] = stepsOf(table);
  const name = first && 'from' in first ? String(first.from) : undefined;
  const below = model.tables.find((t) => name !== undefined && sameName(t.name, name));
  const readers = model.tables.filter((t) => tablesRead(stepsOf(t)).some((r) => name && sameName(r, name)));
  if (below?.role !== 'staging' || isDerived(below) || readers.length > 1) return [];
  const columns = below.columns.map(read);
  if (columns.every((c, i) => c === below.columns[i])) return [];
  return [{ do: 'put-tables', name: below.name, value: { ...below, columns } }];
}
