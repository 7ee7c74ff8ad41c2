import { additivityOf } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Over which dimensions a measure adds up, as its formula says and as its rows have it. */
export const additivity = task((input: { measure: string } & ModelVersion) =>
  additivityOf(dataOf(input), input.measure),
);
