import type { RowPage } from '@crease/contract';
import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onFirstRows, onRows } from '../grouped/groupedRows.ts';
import { groupedTable } from '../grouped/which.ts';
import { columnOrFault, modelOf, pageOf } from './modelRows.ts';

/** A page of a table's rows; columns that cannot be had are left out. */
export const rows = task(
  async (input: { table: string; offset: number; count: number } & ModelVersion): Promise<RowPage> => {
    if (!groupedTable(modelOf(input.document), input, input.table))
      return onRows(input, (data) => pageOn(data, input));
    const { data, rowCounts } = await onFirstRows(input, input.offset + input.count, input.table);
    const page = pageOn(data, input);
    return { ...page, total: rowCounts.get(data.modelTable(input.table).name) ?? page.total };
  },
);

function pageOn(
  data: ModelData,
  { table: name, offset, count }: { readonly table: string; readonly offset: number; readonly count: number },
): RowPage {
  const table = data.modelTable(name);
  const shown = table.columns.filter((c) => typeof columnOrFault(data, table.name, c.name) !== 'string');
  const page = pageOf(
    shown.map((c) => data.column(table.name, c.name)),
    data.rowCount(table.name),
    offset,
    count,
  );
  // Types as the model writes them.
  return { ...page, columns: shown.map((c) => ({ name: c.name, type: c.type })) };
}
