import { adviseStars } from '@crease/core/stars';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Advice on dimensions and outriggers. */
export const starAdvice = task((input: ModelVersion) => adviseStars(dataOf(input)));
