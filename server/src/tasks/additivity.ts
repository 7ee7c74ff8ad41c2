import { additivityOf } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** Over which dimensions a measure adds up, as its formula says and as its rows have it. */
export const additivity = task((input: { measure: string } & ModelVersion) =>
  onRows(input, (data) => additivityOf(data, input.measure)),
);
