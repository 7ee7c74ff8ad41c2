import type { Aggregate } from './definition.ts';
import { count } from './count.ts';
import { sum } from './sum.ts';
import { avg } from './avg.ts';
import { min } from './min.ts';
import { max } from './max.ts';
import { median } from './median.ts';
import { stddevSamp } from './stddevSamp.ts';
import { varSamp } from './varSamp.ts';
import { stddevPop } from './stddevPop.ts';
import { varPop } from './varPop.ts';
import { latest } from './latest.ts';
import { earliest } from './earliest.ts';
import { only } from './only.ts';

export type { Aggregate } from './definition.ts';

/**
 * All aggregates, in the order of the documentation. A new one is one file and one entry here, and its name
 * in `tree.ts`.
 */
export const AGGREGATE_DEFINITIONS: readonly Aggregate[] = [
  count,
  sum,
  avg,
  min,
  max,
  median,
  stddevSamp,
  varSamp,
  stddevPop,
  varPop,
  latest,
  earliest,
  only,
];

const byName = new Map(AGGREGATE_DEFINITIONS.map((a) => [a.name as string, a]));
export const aggregateNamed = (name: string): Aggregate | undefined => byName.get(name.toLowerCase());
