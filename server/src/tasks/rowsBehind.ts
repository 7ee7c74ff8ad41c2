import type { RowsRequest } from '@crease/core/rows';
import { rowsBehind as findRows } from '@crease/core/rows';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** The rows behind cells of an answer. */
export const rowsBehind = task((input: RowsRequest & ModelVersion) =>
  onRows(input, (data) => findRows(data, input)),
);
