import type { Aggregate } from './definition.ts';
import { asDouble } from './definition.ts';

export const avg: Aggregate = {
  name: 'avg',
  parameters: 'x',
  documentation: 'The exact sum over the number of values, as a double.',
  example: { formula: 'avg(loan.copies)', gives: 2.4 },
  result: asDouble,
};
