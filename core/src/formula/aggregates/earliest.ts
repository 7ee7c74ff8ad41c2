import type { Aggregate } from './definition.ts';
import { ofItsArgument } from './definition.ts';

export const earliest: Aggregate = {
  name: 'earliest',
  parameters: 'x by y',
  documentation: 'x of the row with the least y that is not null; of several such rows the least x.',
  example: { formula: 'earliest(loan.copies by loan.day)', gives: 4 },
  result: ofItsArgument,
};
