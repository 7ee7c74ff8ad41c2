import { briefs as answered } from '@crease/core/stars';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Which questions of the briefs the model answers. */
export const briefs = task((input: ModelVersion) => answered(dataOf(input)));
