import type { Aggregate } from './definition.ts';
import { asSum } from './definition.ts';

export const sum: Aggregate = {
  name: 'sum',
  parameters: 'x',
  documentation: 'The sum, exact for integers and decimals; null over no values.',
  example: { formula: 'sum(loan.fine)', gives: '3.75' },
  result: asSum,
};
