import { doubleFunction } from './definition.ts';

export const exp = doubleFunction(
  'exp',
  'x',
  'e to the power of x.',
  { formula: 'exp(0)', gives: 1 },
  Math.exp,
);
