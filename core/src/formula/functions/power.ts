import { doubleFunction } from './definition.ts';

export const power = doubleFunction(
  'power',
  'x, y',
  'x to the power of y; null where it is no real number.',
  { formula: 'power(2, 10)', gives: 1024 },
  (x, y) => x ** y,
);
