import { adviseTypes } from '@crease/core/propose';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Columns whose values would be of a better type. */
export const types = task((input: ModelVersion) => adviseTypes(dataOf(input)));
