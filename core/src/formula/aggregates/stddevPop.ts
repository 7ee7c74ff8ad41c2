import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const stddevPop: Aggregate = {
  name: 'stddev_pop',
  parameters: 'x',
  documentation: 'The standard deviation of all values: the root of var_pop.',
  example: { formula: 'round(stddev_pop(loan.copies), 4)', gives: 1.0198 },
  result: asDouble,
};
