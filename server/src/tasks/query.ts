import type { Query } from '@crease/core/model';
import type { TextOrder } from '@crease/core/query';
import { answerQuery } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** Answers a query. */
export const query = task(async (input: { query: Query; texts: TextOrder } & ModelVersion) => {
  const start = performance.now();
  const answer = await onRows(input, (data) =>
    answerQuery(data, input.query, input.texts, { keys: true, goals: true }),
  );
  return { ...answer, elapsedMs: Math.round((performance.now() - start) * 10) / 10 };
});
