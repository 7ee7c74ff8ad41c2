import { doubleFunction } from './definition.ts';

export const ln = doubleFunction(
  'ln',
  'x',
  'The natural logarithm; null for zero and below.',
  { formula: 'ln(1)', gives: 0 },
  Math.log,
);
