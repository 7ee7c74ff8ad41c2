import { daysOfMoments, matchColumns } from '@crease/core/relate';
import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

interface End {
  readonly table: string;
  readonly columns: readonly string[];
}

/** How columns of two tables fit each other; of moments beside days, their days. */
export const match = task((input: { from: End; to: End } & ModelVersion) =>
  onRows(input, (data) => matched(data, input)),
);

function matched(data: ModelData, input: { readonly from: End; readonly to: End }) {
  const columnsOf = (end: End) => end.columns.map((name) => data.column(end.table, name));
  const to = columnsOf(input.to);
  const from = columnsOf(input.from).map((column, i) =>
    column.type.kind === 'timestamp' && to[i]?.type.kind === 'date' ? daysOfMoments(column) : column,
  );
  return matchColumns(from, to);
}
