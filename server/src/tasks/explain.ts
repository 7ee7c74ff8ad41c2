import type { Query } from '@crease/core/model';
import { explainQuery } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** How a query is worked out. */
export const explain = task(
  (input: { query: Query } & ModelVersion) => explainQuery(dataOf(input), input.query).explanation,
);
