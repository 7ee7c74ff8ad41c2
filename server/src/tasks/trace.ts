import type { AskedCell, Query } from '@crease/core/model';
import { traceCell } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** What the evaluator does for a cell of an answer. */
export const trace = task((input: { query: Query; cell: AskedCell } & ModelVersion) =>
  traceCell(dataOf(input), input.query, input.cell),
);
