import { profileModel } from '@crease/core/storage';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** The storage profile of a model. */
export const profile = task((input: ModelVersion) => {
  const start = performance.now();
  return { ...profileModel(dataOf(input)), elapsedMs: Math.round(performance.now() - start) };
});
