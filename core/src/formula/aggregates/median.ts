import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const median: Aggregate = {
  name: 'median',
  parameters: 'x',
  documentation:
    'The value in the middle; of an even number of values the mean of the two in the middle. A double.',
  example: { formula: 'median(loan.copies)', gives: 2 },
  result: asDouble,
};
