import { matchColumns } from '@crease/core/relate';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

interface End {
  readonly table: string;
  readonly columns: readonly string[];
}

/** How columns of two tables fit each other. */
export const match = task((input: { from: End; to: End } & ModelVersion) => {
  const data = dataOf(input);
  const columnsOf = (end: End) => end.columns.map((name) => data.column(end.table, name));
  return matchColumns(columnsOf(input.from), columnsOf(input.to));
});
