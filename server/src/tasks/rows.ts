import type { RowPage } from '@crease/contract';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onFirstRows } from '../grouped/groupedRows.ts';
import { isGrouped } from '../grouped/which.ts';
import { columnOrFault, dataOf, pageOf } from './modelRows.ts';

/** A page of a table's rows; columns that cannot be had are left out. */
export const rows = task(
  async (input: { table: string; offset: number; count: number } & ModelVersion): Promise<RowPage> => {
    const first = isGrouped(input, input.table)
      ? await onFirstRows(input, input.offset + input.count, input.table)
      : undefined;
    const data = first?.data ?? dataOf(input);
    const table = data.modelTable(input.table);
    const shown = table.columns.filter((c) => typeof columnOrFault(data, table.name, c.name) !== 'string');
    const page = pageOf(
      shown.map((c) => data.column(table.name, c.name)),
      data.rowCount(table.name),
      input.offset,
      input.count,
    );
    const total = first?.rowCounts.get(table.name) ?? page.total;
    // Types as the model writes them.
    return { ...page, total, columns: shown.map((c) => ({ name: c.name, type: c.type })) };
  },
);
