import { INTEGER } from '../../values/index.ts';
import type { Aggregate } from './definition.ts';

export const count: Aggregate = {
  name: 'count',
  parameters: 'table, x or distinct x',
  documentation:
    'Rows of a table, values of x that are not null, or how many different ones; 0 over no rows.',
  example: { formula: 'count(loan)', gives: 5 },
  result: () => INTEGER,
};
