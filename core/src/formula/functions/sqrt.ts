import { doubleFunction } from './definition.ts';

export const sqrt = doubleFunction(
  'sqrt',
  'x',
  'The square root; null for a negative number.',
  { formula: 'sqrt(9)', gives: 3 },
  Math.sqrt,
);
