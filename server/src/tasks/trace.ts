import type { AskedCell, Query } from '@crease/core/model';
import { traceCell } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** What the evaluator does for a cell of an answer. */
export const trace = task((input: { query: Query; cell: AskedCell } & ModelVersion) =>
  onRows(input, (data) => traceCell(data, input.query, input.cell)),
);
