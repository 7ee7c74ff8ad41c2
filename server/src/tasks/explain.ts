import type { Query } from '@crease/core/model';
import { explainQuery } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** How a query is worked out. */
export const explain = task((input: { query: Query } & ModelVersion) =>
  onRows(input, (data) => explainQuery(data, input.query).explanation),
);
