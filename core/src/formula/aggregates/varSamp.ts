import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const varSamp: Aggregate = {
  name: 'var_samp',
  parameters: 'x',
  documentation:
    'The variance of a sample, over one less than the number of values; null for fewer than two.',
  example: { formula: 'round(var_samp(loan.copies), 4)', gives: 1.3 },
  result: asDouble,
};
