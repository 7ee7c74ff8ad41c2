import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const varPop: Aggregate = {
  name: 'var_pop',
  parameters: 'x',
  documentation: 'The variance of all values, over their number.',
  example: { formula: 'round(var_pop(loan.copies), 4)', gives: 1.04 },
  result: asDouble,
};
