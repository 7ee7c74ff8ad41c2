import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const stddevSamp: Aggregate = {
  name: 'stddev_samp',
  parameters: 'x',
  documentation: 'The standard deviation of a sample: the root of var_samp.',
  example: { formula: 'round(stddev_samp(loan.copies), 4)', gives: 1.1402 },
  result: asDouble,
};
